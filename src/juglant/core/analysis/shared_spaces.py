"""What a shared space costs: in the low end, in the kick's clearance, and in mono."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.analyse import contest_of
from juglant.core.analysis.stem_bands import Whatever
from juglant.core.errors import NoSuchPart
from juglant.core.hit.render import folded
from juglant.core.hit.stages import LOW_ZONES
from juglant.core.loop.render import render_stem, render_stems, stem_made_of, stem_refs
from juglant.core.measure.bands import low_band_frames, zone_energies
from juglant.core.measure.level import SILENCE_LUFS, loop_loudness
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.memory import newest
from juglant.core.model.shared_space import SharedSpace
from juglant.core.model.stem import BASS, StemRef
from juglant.core.model.track import Track
from juglant.core.separate.clearance import kick_clearance
from juglant.core.types import Samples


@dataclass(frozen=True)
class SpaceFigures:
    """What comes back from a space.

    under_loop_lu: its loudness re the loop's; low_db: what it adds to the loop from 28 to 180 Hz; clearance: of the
    kick over the bass, and over the bass with what comes back; mono_db: what it loses folded down. None where silent.
    """

    id: str
    under_loop_lu: float | None
    low_db: float | None
    clearance_db: float | None
    clearance_with_db: float | None
    mono_db: float | None


def space_of(track: Track, space_id: str) -> SharedSpace:
    """A shared space by its id; raises NoSuchPart."""
    found = next((one for one in track.spaces if one.id == space_id), None)
    if found is None:
        raise NoSuchPart(f"there is no shared space {space_id!r} in this track")
    return found


def space_figures(track: Track, space_id: str) -> SpaceFigures:
    """What a space costs, as it is heard (remembered); raises NoSuchPart."""
    space_of(track, space_id)
    made_of = " ".join(stem_made_of(track, ref) for ref in stem_refs(track) if ref.state != "unducked")
    return _figures(made_of, space_id, Whatever(track))


@newest(8)
def _figures(made_of: str, space_id: str, given: Whatever) -> SpaceFigures:
    track = given.track
    rate, loop, back = track.sheet.sample_rate, render_stems(track).loop, render_stem(track, StemRef(space_id))
    loudness = loop_loudness(back, sample_rate=rate)
    if loudness <= SILENCE_LUFS or not np.any(back):
        return SpaceFigures(space_id, None, None, None, None, None)
    contest, table = contest_of(track)
    both = low_band_frames(folded(render_stem(track, BASS)) + folded(back), sample_rate=rate)
    without = _low(loop - back, rate)
    return SpaceFigures(
        space_id,
        loudness - loop_loudness(loop, sample_rate=rate),
        10 * float(np.log10(_low(loop, rate) / without)) if without > 0 else None,
        kick_clearance(table.kick, table.bass, contest),
        kick_clearance(table.kick, both, contest),
        fold_loss_db(back),
    )


def _low(audio: Samples, rate: int) -> float:
    """Energy from 28 to 180 Hz of what is left in mono."""
    zones = zone_energies(folded(audio), sample_rate=rate)
    return sum(zones[name] for name in LOW_ZONES)
