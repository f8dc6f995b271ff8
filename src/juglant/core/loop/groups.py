"""Buses of groups: their sum through filters, compressor, clip and limiter, and what of that is whose."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.looped import process_loop
from juglant.core.errors import NoSuchPart
from juglant.core.model.group import AnyBusProcessor, Group
from juglant.core.model.ids import CONTEXT
from juglant.core.model.references import parts_of
from juglant.core.model.track import Track
from juglant.core.types import Samples

# Under this a sample of the sum is silence, and no factor is read off it.
SILENT = 1e-9


@dataclass(frozen=True)
class Bus:
    """A sum before and after its bus, (channels, frames), each member's share of what comes out, and the gain over time.

    shares add up to `after`: filters work on each member; what moves the level moves all of them by one factor, never above
    the gain that is set, and what a clip's harmonics leave beside that goes to each by its energy. gain: the product of
    those factors, set gains left out, (frames,); 1 where nothing is taken down.
    """

    before: Samples
    after: Samples
    shares: dict[str, Samples]
    gain: Samples


def own_ids(track: Track) -> list[str]:
    """Every part that is this track's own, in order."""
    return [one.id for one in track.parts if one.role != CONTEXT]


def members_of(track: Track, group: Group) -> list[str]:
    """The parts that go through a bus, in the track's order; through that of everything the other buses and spaces too."""
    spaces = [one.id for one in track.spaces if one.works]
    everything = [*own_ids(track), *(one.id for one in working(track) if one.id != group.id), *spaces]
    return everything if group.whole else [part for part in everything if part in group.members]


def added_ids(track: Track) -> list[str]:
    """Ids of everything that is added to the parts: buses and shared spaces."""
    return [*(one.id for one in track.groups), *(one.id for one in track.spaces)]


def working(track: Track) -> list[Group]:
    """Groups whose bus does something, in the order in which sound goes through them."""
    found = [one for one in track.groups if one.works]
    return [*(one for one in found if not one.whole), *(one for one in found if one.whole)]


def goes_on(track: Track, part: str) -> bool:
    """Whether a bus or a shared space hears a part."""
    return any(part in members_of(track, one) for one in working(track)) or any(
        part in one.fed_by for one in track.spaces if one.works
    )


def off_buses(track: Track, part: str) -> Track:
    """A track to listen to in which a part, or a bus, goes through no bus; raises NoSuchPart where there is none."""
    if part not in {*parts_of(track), *added_ids(track)}:
        raise NoSuchPart(f"there is no hit {part!r} in this kit")
    groups = tuple(
        # That of everything names what is left, which no description may: it is only heard.
        one.unchecked(whole=False, members=tuple(each for each in members_of(track, one) if each != part))
        if one.works and part in members_of(track, one)
        else one
        for one in track.groups
    )
    # It is sent nowhere either.
    spaces = tuple(
        one.unchecked(sends=tuple(send for send in one.sends if send.part != part)) if part in one.fed_by else one
        for one in track.spaces
    )
    return track.unchecked(groups=groups, spaces=spaces) if (groups, spaces) != (track.groups, track.spaces) else track


def _set_gain_db(stage: AnyBusProcessor) -> float:
    """What a stage is set to add to everything."""
    if isinstance(stage, Equalizer):
        return 0.0
    return stage.makeup_db if hasattr(stage, "makeup_db") else stage.gain_db


def through_bus(group: Group, members: Mapping[str, Samples], *, sample_rate: int, bpm: float) -> Bus:
    """Some stems, each (frames,) or (2, frames), through a bus; raises ValueError without any."""
    blocks = {part: np.atleast_2d(stem) for part, stem in members.items()}
    channels = max(block.shape[0] for block in blocks.values())
    shares = {part: np.repeat(one, channels // one.shape[0], axis=0) for part, one in blocks.items()}
    before = np.sum(list(shares.values()), axis=0)
    gain = np.ones(before.shape[1])

    def through(stage: AnyBusProcessor, block: Samples) -> Samples:
        return process_loop((stage,), block, (), sample_rate=sample_rate, bpm=bpm)[0]

    for stage in group.bus:
        if not stage.on:
            continue
        if isinstance(stage, Equalizer):
            shares = {part: through(stage, block) for part, block in shares.items()}
            continue
        whole = np.sum(list(shares.values()), axis=0)
        out = through(stage, whole)
        heard = np.abs(whole) > SILENT
        # In silence it is as it is set. Where members cancel the quotient says nothing: it stays within what a gain may be.
        set_gain = 10 ** (_set_gain_db(stage) / 20)
        factor = np.clip(np.where(heard, out / np.where(heard, whole, 1.0), set_gain), 0.0, set_gain)
        rest = out - whole * factor
        energy = {part: float(np.sum(block**2)) for part, block in shares.items()}
        total = sum(energy.values()) or 1.0
        shares = {part: block * factor + rest * (energy[part] / total) for part, block in shares.items()}
        # Of two sides the one that is taken down further counts.
        gain *= np.min(factor, axis=0) / set_gain
    return Bus(before, np.sum(list(shares.values()), axis=0), shares, gain)


def bus_adds(group: Group, total: Samples, *, sample_rate: int, bpm: float) -> Samples:
    """What a bus adds to a sum, (frames,) or (2, frames): its stem, which with those of its members is what is heard."""
    block = np.atleast_2d(total)
    out = process_loop(group.bus, block, (), sample_rate=sample_rate, bpm=bpm)[-1] - block
    return out[0] if total.ndim == 1 else out
