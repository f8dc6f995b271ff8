"""Findings of the kick itself."""

from __future__ import annotations

import math

from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.fit import fit_layers
from juglant.core.hit.render import cached_layer, sound_of
from juglant.core.measure.bands import zone_energies
from juglant.core.mix.analyse import Analysis
from juglant.core.mix.plan import layers_fitted
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail

SHORTEST_DECAY_MS = 5.0
LEAST_ROOM_DB = 0.1


def shortest_gap_ms(track: Track) -> float | None:
    """Time between the two kicks that are closest, ms; None without a kick."""
    kicks, length = track.kicks(), track.sheet.length_beats
    if not kicks:
        return None
    gaps = [after - at for at, after in zip(kicks, [*kicks[1:], kicks[0] + length], strict=True)]
    return min(gaps) * beat_ms(track.sheet.bpm)


def shortened(hit: Hit, ratio: float) -> Hit:
    """The hit with hold and decay of its body and tail scaled."""
    layers = []
    for layer in hit.layers:
        source = layer.source
        if isinstance(source, (Sweep, Tail)):
            update = {
                "hold_ms": round(source.hold_ms * ratio, 2),
                "decay_ms": max(SHORTEST_DECAY_MS, round(source.decay_ms * ratio, 2)),
            }
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


def layers_cancel(found: Analysis) -> list[Finding]:
    """Layers that would sum to clearly more low end elsewhere or turned over."""
    track = found.track
    fit = fit_layers(track.kick, track.sheet.sample_rate)
    if fit is None or fit.after_db - fit.now_db <= track.limits.fit_db:
        return []
    won = fit.after_db - fit.now_db
    return [
        Finding(
            id="layers-cancel",
            step="hits",
            severity="look",
            title="Layers work against each other",
            reason=f"Their starts or polarity cost low end: in step the same layers have {won:.1f} dB more of it.",
            value=won,
            unit="dB",
            limit=track.limits.fit_db,
            limit_kind="this project's choice",
            fixes=(Fix(label="Fit the layers", track=layers_fitted(track)),),
        )
    ]


def layer_adds_nothing(found: Analysis) -> list[Finding]:
    """Layers that stay under the sum by the limit in every zone."""
    track, rate = found.track, found.track.sheet.sample_rate
    layers = track.kick.heard()
    if len(layers) < 2 or not found.kick_hit.audio.size:
        return []
    whole = zone_energies(found.kick_hit.audio, sample_rate=rate)
    said = []
    for layer in layers:
        own = zone_energies(cached_layer(sound_of(layer), rate), sample_rate=rate)
        most = 10 * math.log10(max(1e-12, *(own[name] / max(whole[name], 1e-30) for name in whole)))
        if most >= track.limits.adds_db:
            continue
        others = tuple(one for one in track.kick.layers if one.id != layer.id)
        kick = track.kick.model_copy(update={"layers": others})
        said.append(
            Finding(
                id=f"adds-nothing-{layer.id}",
                step="hits",
                severity="note",
                title=f"{layer.name} adds nothing",
                reason="In no zone is it within hearing of the sum.",
                value=most,
                unit="dB",
                limit=track.limits.adds_db,
                limit_kind="this project's choice",
                fixes=(Fix(label=f"Remove {layer.name}", track=track.model_copy(update={"kick": kick})),),
            )
        )
    return said


FINDERS = (kick_too_long, peak_over, layers_cancel, layer_adds_nothing)
