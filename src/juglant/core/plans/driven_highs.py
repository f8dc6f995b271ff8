"""Clean lows, driven highs: one drive of what lies above a split, in phase with what is left as it is."""

from __future__ import annotations

from juglant.core.chain.registry import MOST_PROCESSORS, AnyProcessor
from juglant.core.chain.saturate import LOWEST_HZ, Saturate
from juglant.core.errors import InvalidTrack
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track

# Where bass recordings are split in common practice: above it lie the second and third partials of most bass notes.
SPLIT_HZ, LEAST_SPLIT_HZ, MOST_SPLIT_HZ = 220.0, 60.0, 1000.0
DRIVE_DB = 12.0


def with_driven_highs(track: Track, part: str, split_hz: float = SPLIT_HZ, drive_db: float = DRIVE_DB) -> Track:
    """The track with a part's highs driven and its lows as they were: on its bus, or on the bass's line.

    A drive of the highs that is there already is set anew. Raises NoSuchPart, and InvalidTrack where the chain is full.
    """
    if part == BASS_PART:
        return track.with_part(BASS_PART, chain=_with_drive(track.bass_chain, split_hz, drive_db))
    hit = track.hit_of(part).hit
    bus = _with_drive(hit.bus if hit.bind else (), split_hz, drive_db)
    return track.with_hit(part, hit.model_copy(update={"bus": bus, "bind": True}))


def _with_drive(chain: tuple[AnyProcessor, ...], split_hz: float, drive_db: float) -> tuple[AnyProcessor, ...]:
    for place, one in enumerate(chain):
        if isinstance(one, Saturate) and one.from_hz > LOWEST_HZ:
            changed = one.model_copy(update={"on": True, "from_hz": split_hz, "drive_db": drive_db})
            return (*chain[:place], changed, *chain[place + 1 :])
    if len(chain) >= MOST_PROCESSORS:
        raise InvalidTrack(f"this chain holds {MOST_PROCESSORS} processors already: take one out first")
    # Before what shapes or ends the sound: the drive is part of what it is made of.
    return (Saturate(from_hz=split_hz, drive_db=drive_db), *chain)
