"""Findings of recorded sounds that begin late: what lies before their onset is played as it is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from juglant.core.analysis.analyse import Analysis
from juglant.core.errors import InvalidTrack
from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.take_lead import take_lead_ms
from juglant.core.loop.kick_loop import with_kick_loop
from juglant.core.measure.lead import LEAST_LEAD_MS
from juglant.core.model.hit import Layer
from juglant.core.model.ids import BASS_PART, CONTEXT, KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms
from juglant.core.synth.take import Take
from juglant.core.synth.takes import NO_TAKE

# A loop's first sound may be on any sixteenth; this near to one it is there.
ON_GRID_MS, SIXTEENTHS = 12.0, 4


@dataclass(frozen=True)
class _Recorded:
    """A recorded sound in its place: from where in its file it is played, and the track with another start."""

    id: str
    what: str
    hit_id: str
    take: str
    begin_ms: float
    is_loop: bool
    begun: Callable[[float], Track]


def _recorded(track: Track) -> Iterator[_Recorded]:
    for one in track.hits():
        for layer in one.hit.layers:
            source = layer.source
            # Recordings that are played in turn begin where they are struck.
            if isinstance(source, Take) and not layer.muted and not source.alternates:
                what = one.name if len(one.hit.layers) == 1 else f"{layer.name} of {one.name}"
                is_loop, begun = one.role == CONTEXT, _layer_from(track, one.id, layer)
                yield _Recorded(f"{one.id}-{layer.id}", what, one.id, source.take, source.begin_ms, is_loop, begun)
    bass, loop = track.bass, track.kick_loop
    if bass.take and bass.source == "recorded note":
        begun = _bass_from(track, "note_begin_ms")
        yield _Recorded("bass", "The bass note", BASS_PART, bass.take, bass.note_begin_ms, False, begun)
    if bass.take and bass.source == "recorded line":
        begun = _bass_from(track, "begin_ms")
        yield _Recorded("bass-line", "The bass line", BASS_PART, bass.take, bass.begin_ms, True, begun)
    if loop.plays and loop.take:
        yield _Recorded("kick-loop", "The kick's loop", KICK_ID, loop.take, loop.begin_ms, True, _loop_from(track))


def _layer_from(track: Track, hit_id: str, layer: Layer) -> Callable[[float], Track]:
    def begun(at_ms: float) -> Track:
        hit = track.hit_of(hit_id).hit
        made = layer.model_copy(update={"source": layer.source.model_copy(update={"begin_ms": at_ms})})
        layers = tuple(made if one.id == layer.id else one for one in hit.layers)
        return track.with_hit(hit_id, hit.model_copy(update={"layers": layers}))

    return begun


def _bass_from(track: Track, field: str) -> Callable[[float], Track]:
    return lambda at_ms: track.with_part(BASS_PART, instrument=track.bass.model_copy(update={field: at_ms}))


def _loop_from(track: Track) -> Callable[[float], Track]:
    loop = track.kick_loop
    return lambda at_ms: with_kick_loop(track, loop.take or NO_TAKE, at_ms, loop.fit_bars or None)


def starts_late(found: Analysis) -> list[Finding]:
    """Recorded sounds with a lead-in: late by just that, in the loop and in every file."""
    track, out = found.track, []
    sixteenth_ms = beat_ms(track.sheet.bpm) / SIXTEENTHS
    for one in _recorded(track):
        lead = take_lead_ms(one.take, one.begin_ms)
        if lead is None:
            continue
        off_grid = abs(lead - round(lead / sixteenth_ms) * sixteenth_ms)
        if one.is_loop and lead > ON_GRID_MS and off_grid < ON_GRID_MS:
            continue
        why = (
            "Its first sound lies on no sixteenth: if it belongs on bar 1, begin there."
            if one.is_loop
            else "What lies before its onset is played too: it sounds that much behind the beat."
        )
        fixes: tuple[Fix, ...] = ()
        try:
            fixes = (Fix(label=f"Begin {lead:.1f} ms later in the file", track=one.begun(round(one.begin_ms + lead, 4))),)
        except InvalidTrack:
            pass
        out.append(
            Finding(
                id=f"starts-late-{one.id}",
                step="hits",
                severity="look",
                title=f"{one.what} starts late",
                reason=f"{lead:.1f} ms lie before it. {why}",
                value=lead,
                unit="ms",
                limit=LEAST_LEAD_MS,
                limit_kind="this project's choice",
                hit_id=None if one.hit_id == BASS_PART else one.hit_id,
                fixes=fixes,
            )
        )
    return out


FINDERS = (starts_late,)
