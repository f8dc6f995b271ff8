"""Low bands of a stem, remembered by what it is made from."""

from __future__ import annotations

from juglant.core.duck.guards import Plain, plain_of
from juglant.core.hit.render import folded
from juglant.core.loop.gain import gain_made_of
from juglant.core.loop.level import level_of, without_level
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import render_stem, stem_made_of
from juglant.core.measure.bands import all_band_frames, low_band_frames
from juglant.core.memory import remembered
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.separate.clearance import Strokes
from juglant.core.signal.filters import butterworth, filter_loop
from juglant.core.types import Samples


class Whatever:
    """A track that a cache does not look at: the text beside it says all that counts."""

    def __init__(self, track: Track) -> None:
        self.track = track

    def __hash__(self) -> int:
        return 0

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Whatever)


@remembered()
def _bands(made_of: str, ref: StemRef, high_pass_hz: float, forward: bool, given: Whatever) -> Samples:
    rate = given.track.sheet.sample_rate
    stem = folded(render_stem(given.track, ref))
    if high_pass_hz:
        stem = filter_loop(stem, butterworth(4, high_pass_hz, "highpass", sample_rate=rate), sample_rate=rate)
    return low_band_frames(stem, sample_rate=rate, forward=forward)


def bands_of(track: Track, ref: StemRef, *, high_pass_hz: float = 0.0, forward: bool = False) -> Samples:
    """Low band energies of a stem in one channel, (bands, frames), behind a high-pass (0: none).

    forward: by filters that hear nothing before it comes.
    """
    bare = without_level(track, ref.part)
    if gain_made_of(bare, ref.part) != gain_made_of(track, ref.part):
        # Its own level drives the compressor that ducks it.
        return _bands(stem_made_of(track, ref), ref, high_pass_hz, forward, Whatever(track))
    level = 10 ** (level_of(track, ref.part) / 10)
    return _bands(stem_made_of(bare, ref), ref, high_pass_hz, forward, Whatever(bare)) * level


@remembered()
def _all_bands(made_of: str, ref: StemRef, given: Whatever) -> Samples:
    return all_band_frames(folded(render_stem(given.track, ref)), sample_rate=given.track.sheet.sample_rate)


def all_bands_of(track: Track, ref: StemRef) -> Samples:
    """Energies of a stem in one channel in every third octave and 20 ms frame, (bands, frames)."""
    return _all_bands(stem_made_of(track, ref), ref, Whatever(track))


@remembered()
def _plain(made_of: str, part: str, given: Whatever) -> Plain:
    sound = folded(render_stem(given.track, StemRef(part, "unducked")))
    return plain_of(sound, sample_rate=given.track.sheet.sample_rate)


def plain_part(track: Track, part: str) -> Plain:
    """A part without its ducks as the guards ask for it."""
    return _plain(stem_made_of(track, StemRef(part, "unducked")), part, Whatever(track))


def kick_strokes(track: Track) -> Strokes:
    """Where the kick is struck inside the loop, and its bands by filters that run forward alone."""
    sheet = track.sheet
    at_s = tuple(at * 60 / sheet.bpm for at in track.kicks())
    forward = bands_of(track, KICK.of("before"), forward=True)
    return Strokes(at_s, loop_frames(track) / sheet.sample_rate, forward)
