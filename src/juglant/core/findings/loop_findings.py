"""Findings of what comes as a whole: rumbles, and a kick that is a loop."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.rumbles import rumble_figures
from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.synth.rumble import Rumble


def peaky_rumble(found: Analysis) -> list[Finding]:
    """A rumble of which one band stands out: it is heard as a note that hums, not as a floor."""
    track, out = found.track, []
    for one in (each for each in track.hits() if each.id != KICK_ID):
        if not one.hit.has_rumble:
            continue
        whole = cached_stroke(one.hit, HARDEST, 0, track.sheet.sample_rate, stroke_tempo(one.hit, track.sheet.bpm))
        figures = rumble_figures(track, one, whole)
        if figures is None or figures.peaky_db <= track.limits.rumble_peaky_db:
            continue
        out.append(
            Finding(
                id=f"peaky-rumble-{one.id}",
                step="hits",
                severity="look",
                title=f"{one.name} is peaky",
                reason=(
                    "Between 30 and 90 Hz its strongest third octave stands that far over the mean of the others: it hums "
                    "on one note where it should be a floor. Its evenness brings these bands to one level; more room "
                    "against repeats, or a higher low-pass, helps too."
                ),
                value=figures.peaky_db,
                unit="dB",
                limit=track.limits.rumble_peaky_db,
                limit_kind="common practice",
                hit_id=one.id,
                fixes=(Fix(label="Bring it to one level", track=_evened(track, one)),),
            )
        )
    return out


def _evened(track: Track, one: Part) -> Track:
    """The track with the rumble of a hit even."""
    layers = tuple(
        layer.model_copy(update={"source": layer.source.model_copy(update={"even_pct": 100.0})})
        if isinstance(layer.source, Rumble)
        else layer
        for layer in one.hit.layers
    )
    return track.with_hit(one.id, one.hit.model_copy(update={"layers": layers}))


def kick_loop_goes_round(found: Analysis) -> list[Finding]:
    """Processing of a kick loop that is played as recorded: none of it is heard."""
    track = found.track
    chains = [layer.name for layer in track.kick.layers if any(settings.on for settings in layer.chain)]
    bus = ["its bus"] if track.kick.bind and any(settings.on for settings in track.kick.bus) else []
    if not track.kick_loop.plays or track.kick_loop.processed or not (chains or bus):
        return []
    ways = {"Hear it through its layers": {"processed": True}, "Play its stroke on the grid": {"on": False}}
    where = " and ".join([*(f"the layer {name}" for name in chains), *bus])
    return [
        Finding(
            id="kick-loop-unprocessed",
            step="hits",
            severity="look",
            title="The kick's processing is not heard",
            reason=f"The kick comes as a loop and is played as recorded: what is set on {where} changes nothing of it.",
            value=None,
            unit="",
            limit=None,
            limit_kind="this project's choice",
            hit_id=KICK_ID,
            fixes=tuple(
                Fix(label=label, track=track.with_part(KICK_ID, loop=track.kick_loop.model_copy(update=change)))
                for label, change in ways.items()
            ),
        )
    ]


FINDERS = (peaky_rumble, kick_loop_goes_round)
