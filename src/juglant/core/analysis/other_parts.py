"""What every other part of the kit costs the low end's owner, and the least high-pass that gives it back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.stem_bands import bands_of
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.registry import MOST_PROCESSORS
from juglant.core.errors import InvalidTrack
from juglant.core.model.part import KickCut, Part
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.signal.filters import BUTTERWORTH_4_Q

# A part that costs less than this needs nothing; a high-pass leaves at most this.
COSTS_DB, LEFT_DB = 0.3, 0.1
LOWEST_HZ, HIGHEST_HZ = 30.0, 400.0
HALVINGS = 6
SILENT = 1e-12
# The band filters see a little beyond the kick's own time.
MARGINS_MS = (0.0, 15.0, 30.0, 60.0, 90.0, 120.0)
When = Literal["always", "under the kick"]


@dataclass(frozen=True)
class OtherPart:
    """One hit of the kit: what it takes from the clearance, the least high-pass (24 dB/octave) against it, what is left.

    high_pass_hz is None where nothing is needed, or where none up to 400 Hz is enough; cut_under_kick_hz: the corner of the
    high-pass that is there already while the kick sounds.
    """

    hit_id: str
    name: str
    cost_db: float
    high_pass_hz: float | None
    left_db: float
    cut_under_kick_hz: float | None


def _cost_db(found: Analysis, one: Part, high_pass_hz: float) -> float:
    """How much further the owner would be ahead without this part, over the judged cells as it is heard, dB."""
    cells = found.contest.active & np.array(found.contest.judged)[:, None]
    kick, bass = float(found.table.kick[cells].sum()), float(found.table.bass[cells].sum())
    part = float(bands_of(found.track, StemRef(one.id), high_pass_hz=high_pass_hz)[cells].sum())
    against = kick if found.track.sheet.owner == "bass" else bass
    return 10 * float(np.log10((against + part + SILENT) / (against + SILENT)))


def other_parts(found: Analysis) -> list[OtherPart]:
    """Every hit of the kit that is struck, the one that costs most first; empty where kick and bass do not clash."""
    if found.contest.reason is not None:
        return []
    out = []
    for one in found.track.kit:
        if not one.strokes:
            continue
        cost = _cost_db(found, one, 0.0)
        corner, left = (None, cost) if cost < COSTS_DB else _least(found, one)
        under = one.kick_cut.corner_hz if one.kick_cut.on else None
        out.append(OtherPart(one.id, one.name, cost, corner, left, under))
    return sorted(out, key=lambda part: -part.cost_db)


def _least(found: Analysis, one: Part) -> tuple[float | None, float]:
    """The lowest corner that leaves next to nothing of the cost, by halving octaves."""
    return _lowest_corner(lambda corner: _cost_db(found, one, corner))


def _lowest_corner(left_db: Callable[[float], float]) -> tuple[float | None, float]:
    """The lowest corner, Hz, at which at most LEFT_DB is left, and what is; None where no corner is enough."""
    left = left_db(HIGHEST_HZ)
    if left > LEFT_DB:
        return None, left
    low, high = LOWEST_HZ, HIGHEST_HZ
    for _ in range(HALVINGS):
        middle = round(float(np.sqrt(low * high)), 1)
        low, high = (low, middle) if left_db(middle) <= LEFT_DB else (middle, high)
    return high, left_db(high)


def cleared(found: Analysis, hit_id: str, when: When = "always") -> Track:
    """The track with a hit's least high-pass; raises InvalidTrack where none helps, or the bus is full.

    Always: on the hit's bus. Under the kick: while the kick sounds, as long as its longest stroke needs room.
    """
    part = next((one for one in other_parts(found) if one.hit_id == hit_id), None)
    if part is None or part.high_pass_hz is None:
        raise InvalidTrack("this part takes nothing that a high-pass would give back")
    return _always(found.track, part, part.high_pass_hz) if when == "always" else _under_the_kick(found, hit_id)


def _under_the_kick(found: Analysis, hit_id: str) -> Track:
    """The lowest corner with the shortest time around the kick's active part that gives enough back."""
    # Both are said against the stroke itself.
    ahead_s = max((-one.start_s for one in found.strokes), default=0.0)
    hold_s = max((one.end_s for one in found.strokes), default=0.0)
    for margin_ms in MARGINS_MS:
        settings = KickCut(
            on=True,
            ahead_ms=within(KickCut, "ahead_ms", 1000 * ahead_s + margin_ms),
            hold_ms=within(KickCut, "hold_ms", 1000 * hold_s + margin_ms),
        )

        def made(corner_hz: float, settings: KickCut = settings) -> Track:
            cut = settings.model_copy(update={"corner_hz": corner_hz})
            return found.track.with_part(hit_id, kick_cut=cut)

        corner, _ = _lowest_corner(
            lambda corner_hz: _cost_db(replace(found, track=made(corner_hz)), found.track.hit_of(hit_id), 0.0)
        )
        if corner is not None:
            return made(corner)
    raise InvalidTrack("no high-pass under the kick gives enough back: high-pass the part always")


def _always(track: Track, part: OtherPart, corner_hz: float) -> Track:
    stages = tuple(Equalizer(shape="high-pass", frequency_hz=corner_hz, q=round(q, 4)) for q in BUTTERWORTH_4_Q)
    return on_bus(track, part.hit_id, stages)


def bus_full(track: Track, hit_id: str, more: int = 1) -> str:
    """Why a hit's bus takes no more stages; empty where it does."""
    one = track.hit_of(hit_id)
    if len(one.hit.bus) + more <= MOST_PROCESSORS:
        return ""
    return f"the bus of {one.name} is full: it holds {MOST_PROCESSORS} processors; remove one first"


def on_bus(track: Track, hit_id: str, stages: tuple[Equalizer, ...]) -> Track:
    """The track with stages at the end of a hit's bus; raises InvalidTrack where it is full."""
    if full := bus_full(track, hit_id, len(stages)):
        raise InvalidTrack(full)
    hit = track.hit_of(hit_id).hit
    # A bus that was not bound gets heard by this: what stood in it is kept, switched off.
    before = hit.bus if hit.bind else tuple(stage.model_copy(update={"on": False}) for stage in hit.bus)
    return track.with_hit(hit_id, hit.model_copy(update={"bus": (*before, *stages), "bind": True}))
