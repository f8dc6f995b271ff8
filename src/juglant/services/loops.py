"""Recorded loops in a track: the kick or the bass comes from one; what was read in it is said, shown and put right."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.loop.kick_loop import LoopRead, read_loop, with_kick_loop, with_loop_stroke
from juglant.core.loop.line_loop import with_line_loop
from juglant.core.loop.render import render_stems
from juglant.core.measure.level import no_louder
from juglant.core.model.track import Track
from juglant.formats.wav import wav_float
from juglant.services.tracks import State, Workspace


def load_kick_loop(
    store: Workspace, track_id: str, edition: int, take: str, begin_ms: float, fit_bars: int | None
) -> State:
    """Let the kick come from a recorded loop, its strokes read onto the grid, as one step."""
    track = store.current(track_id, edition)
    again = track.kick_loop.take == take
    made = with_kick_loop(track, take, begin_ms, fit_bars)
    done = store.edit(track_id, edition, made, label="Read the kicks again" if again else "Kick from a loop")
    read = read_loop(made)
    return done if read is None else replace(done, said=(*done.said, _strokes_said(read)))


def _strokes_said(read: LoopRead) -> str:
    """How many kicks were read in a loop, and how many places were not taken for one."""
    kicks, others = (sum(1 for one in read.strokes if one.on is on) for on in (True, False))
    said = f"{kicks} {'kick was' if kicks == 1 else 'kicks were'} read in the loop"
    if not others:
        return said
    return f"{said}, {others} other {'place' if others == 1 else 'places'} may be one: click it there to say so"


def correct_loop_stroke(store: Workspace, track_id: str, edition: int, at_s: float, on: bool) -> State:
    """Say of a place in the kick loop that it is a kick, or is none, as one step."""
    made = with_loop_stroke(store.current(track_id, edition), at_s, on)
    return store.edit(track_id, edition, made, label="A kick there" if on else "No kick there")


def load_bass_line(store: Workspace, track_id: str, edition: int, take: str, begin_ms: float) -> State:
    """Let the bass come from a recorded loop, its notes read onto the grid, as one step; what could not be read is said."""
    read = with_line_loop(store.current(track_id, edition), take, begin_ms)
    done = store.edit(track_id, edition, read.track, label="Bass from a loop")
    return replace(done, said=(*done.said, read.said))


@dataclass(frozen=True)
class LoopTake:
    """A take that the kick is to come from: where its bar 1 is, and how many bars it fills (None: as its length asks)."""

    take: str
    begin_ms: float
    fit_bars: int | None


def heard_in_place(now: Track, made: Track, loop: LoopTake | None) -> bytes:
    """The loop as it would be, no louder than it is, as a 32-bit float WAV; nothing is stored."""
    if loop is not None:
        made = with_kick_loop(made, loop.take, loop.begin_ms, loop.fit_bars)
    rate = made.sheet.sample_rate
    there, here = (render_stems(one).loop for one in (made, now))
    heard = no_louder(there, here, sample_rate=rate) if np.any(here) else there
    return wav_float(heard, rate)
