"""Findings of the kick as it is heard."""

from __future__ import annotations

from juglant.core.findings.finding import Finding, Fix
from juglant.core.mix.analyse import Analysis
from juglant.core.model.fields import within
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.synth.takes import find_take

SHORTEST_DECAY_MS = 5.0
LEAST_ROOM_DB = 0.1
# A recorded tail that is cut fades over some cycles, so that the cut is not heard as a click.
TAKE_FADE_MS = 60.0


def shortest_gap_ms(track: Track) -> float | None:
    """Time between the two kicks that are closest, ms; None without a kick."""
    kicks, length = track.kicks(), track.sheet.length_beats
    if not kicks:
        return None
    gaps = [after - at for at, after in zip(kicks, [*kicks[1:], kicks[0] + length], strict=True)]
    return min(gaps) * beat_ms(track.sheet.bpm)


def shortened(hit: Hit, ratio: float) -> Hit:
    """The hit with hold and decay of its body and tail scaled, and its recorded layers cut with a fade.

    A ratio over 1 lengthens: engines to the ends of their rulers, recorded layers to all there is of them.
    """
    layers = []
    for layer in hit.layers:
        source = layer.source
        if isinstance(source, (Sweep, Tail)):
            update = {
                "hold_ms": within(type(source), "hold_ms", source.hold_ms * ratio),
                "decay_ms": max(SHORTEST_DECAY_MS, within(type(source), "decay_ms", source.decay_ms * ratio)),
            }
            layer = layer.model_copy(update={"source": source.model_copy(update=update)})
        elif isinstance(source, Take) and (found := find_take(source.take)) is not None:
            whole_ms = 1000 * found.audio.shape[1] / found.sample_rate - source.begin_ms
            length_ms = min(min(source.length_ms, whole_ms) * ratio, whole_ms)
            update = {"length_ms": max(1.0, round(length_ms, 2)), "fade_ms": TAKE_FADE_MS}
            layer = layer.model_copy(update={"source": source.model_copy(update=update)})
        layers.append(layer)
    return hit.model_copy(update={"layers": tuple(layers)})


def kick_too_long(found: Analysis) -> list[Finding]:
    """A kick longer than the gap to the next one is cut by it."""
    gap = shortest_gap_ms(found.track)
    length = found.kick.timing.length_ms if found.kick else None
    if gap is None or length is None or length <= gap:
        return []
    owner = found.track.sheet.owner
    ratio = 0.97 * gap / length
    return [
        Finding(
            id="kick-too-long",
            step="hits",
            severity="note" if owner == "kick-is-bass" else "look",
            title="The kick is longer than the gap to the next",
            reason="Each kick cuts the one before it: normal where the kick is the bass, elsewhere a lost tail.",
            value=length,
            unit="ms",
            limit=gap,
            limit_kind="common practice",
            fixes=(
                Fix(
                    label=f"Shorten to {0.97 * gap:.0f} ms",
                    track=found.track.model_copy(update={"kick": shortened(found.track.kick, ratio)}),
                ),
            ),
        )
    ]


def peak_over(found: Analysis) -> list[Finding]:
    """True peak of the loop over the limit."""
    track, peak = found.track, found.levels.true_peak_db
    limits = track.limits
    if peak is None or peak <= limits.true_peak_look_dbtp:
        return []
    down = peak - limits.true_peak_look_dbtp + LEAST_ROOM_DB
    mix = track.mix
    quieter = mix.model_copy(
        update={
            "kick_gain_db": max(-40.0, round(mix.kick_gain_db - down, 2)),
            "bass_gain_db": max(-40.0, round(mix.bass_gain_db - down, 2)),
        }
    )
    return [
        Finding(
            id="true-peak",
            step="hits",
            severity="fix" if peak > limits.true_peak_fix_dbtp else "look",
            title="The loop peaks over the limit",
            reason="Kick and bass together leave no room for the rest of the track.",
            value=peak,
            unit="dBTP",
            limit=limits.true_peak_look_dbtp,
            limit_kind="this project's choice",
            fixes=(Fix(label=f"Both {down:.1f} dB down", track=track.model_copy(update={"mix": quieter})),),
        )
    ]


FINDERS = (kick_too_long, peak_over)
