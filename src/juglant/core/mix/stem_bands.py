"""Low bands of a stem, remembered by what it is made from."""

from __future__ import annotations

from functools import lru_cache

from juglant.core.hit.render import folded
from juglant.core.measure.bands import low_band_frames
from juglant.core.mix.render import render_stem, stem_made_of
from juglant.core.model.track import Track
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


@lru_cache(maxsize=96)
def _bands(made_of: str, name: str, high_pass_hz: float, given: Whatever) -> Samples:
    rate = given.track.sheet.sample_rate
    stem = folded(render_stem(given.track, name))
    if high_pass_hz:
        stem = filter_loop(stem, butterworth(4, high_pass_hz, "highpass", sample_rate=rate), sample_rate=rate)
    return low_band_frames(stem, sample_rate=rate)


def bands_of(track: Track, name: str, *, high_pass_hz: float = 0.0) -> Samples:
    """Low band energies of a stem in one channel, (bands, frames), behind a high-pass (0: none)."""
    return _bands(stem_made_of(track, name), name, high_pass_hz, Whatever(track))
