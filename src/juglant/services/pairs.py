"""Two parts together, as they are heard with the cut that makes room between them."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.pairs import cut_of, with_cut
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.level import no_louder
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.types import Samples
from juglant.formats.wav import wav_float


def pair_wav(track: Track, owner: str, yielder: str, zone: str | None) -> bytes:
    """Two parts as they are, or with the cut of a zone and then no louder, as a 32-bit float WAV.

    Raises NoSuchPart, or InvalidTrack where there is no such cut.
    """

    def both(one: Track) -> Samples:
        return np.asarray(sum(folded(render_stem(one, StemRef(part))) for part in (owner, yielder)))

    rate, now = track.sheet.sample_rate, both(track)
    if zone is None:
        return wav_float(now, rate)
    made = with_cut(track, yielder, cut_of(track, owner, yielder, zone))
    return wav_float(no_louder(both(made), now, sample_rate=rate), rate)
