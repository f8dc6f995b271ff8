"""Orders of work: the carve first and the duck for what is left, or the duck first; what each needs and costs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

import numpy as np

from juglant.core.analysis.part_duck import measure_part
from juglant.core.measure.level import loop_loudness
from juglant.core.model.carve import Order as WhichFirst
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.plans.bare import measured, unplanned
from juglant.core.plans.plan import make_room, plan_carve
from juglant.core.plans.returns import over_limits
from juglant.core.progress import steps
from juglant.core.separate.aims import aims_of, furthest
from juglant.core.separate.filters import move_sections, yielder
from juglant.core.signal.filters import response

TITLES: dict[WhichFirst, str] = {
    "carve first": "Carve first, duck what is left",
    "duck first": "Duck first for its share, carve the rest",
}
GRID_HZ = np.geomspace(20, 2000, 200)


@dataclass(frozen=True)
class OrderCost:
    """What one order of work needs: depth of the duck, deepest cut of the carve, loudness lost, clearance, guards over."""

    id: str
    title: str
    duck_db: float
    deepest_cut_db: float
    lost_lu: float | None
    reached_db: float | None
    goal_db: float
    short_db: float
    over: tuple[str, ...]


@dataclass(frozen=True)
class Order:
    """What an order needs, and the track with it."""

    cost: OrderCost
    track: Track


def orders(track: Track) -> list[Order]:
    """Carve first and duck first at the track's share, and duck first no deeper than is heard as groove.

    Each on the track without carve and duck, its key, recovery point and floor filter kept. Empty where kick and bass do
    not clash, and where the bass is not ducked.
    """
    own = track.duck.model_copy(update={"drawn": (), "drive": "curve"})
    bare = unplanned(track).with_duck(own.model_copy(update={"on": False}))
    stems, contest, _ = measured(bare)
    part = yielder(track.sheet.owner)
    if contest.reason is not None or part == "kick":
        return []
    loud = loop_loudness(getattr(stems, part), sample_rate=track.sheet.sample_rate)
    asked = {order: _in_order(bare, order) for order in get_args(WhichFirst)}
    made = [(order.replace(" ", "-"), TITLES[order], make_room(one)) for order, one in steps(asked.items())]
    deep = made[-1][-1]
    if deep.duck.on and deep.duck.depth_db > track.limits.pumping_db:
        shallow = deep.duck.model_copy(update={"depth_db": track.limits.pumping_db, "fitted": None})
        quiet = asked["duck first"].with_duck(shallow)
        title = f"Duck first, at most {track.limits.pumping_db:g} dB, carve the rest"
        made.append(("duck-lightly", title, plan_carve(quiet, ducked=True)[0]))
    return [_order(*one, part, loud) for one in made]


def _in_order(track: Track, order: WhichFirst) -> Track:
    return track.model_copy(update={"carve": track.carve.model_copy(update={"order": order})})


def _order(name: str, title: str, made: Track, part: str, loud: float | None) -> Order:
    stems, contest, table = measured(made)
    now = furthest(aims_of(made.sheet, contest), table.kick, table.bass)
    found = measure_part(made, BASS_PART)
    after = loop_loudness(getattr(stems, part), sample_rate=made.sheet.sample_rate)
    cut = 0.0
    if made.carve.on and made.carve.moves:
        sections = move_sections(made.carve.moves, sample_rate=made.sheet.sample_rate)
        level = np.abs(response(sections, GRID_HZ, sample_rate=made.sheet.sample_rate))
        cut = min(0.0, float(20 * np.log10(level.min())))
    return Order(
        OrderCost(
            id=name,
            title=title,
            duck_db=made.duck.depth_db if made.duck.on else 0.0,
            deepest_cut_db=cut,
            lost_lu=loud - after if loud is not None and after is not None else None,
            reached_db=None if now is None else now.clearance_db,
            goal_db=aims_of(made.sheet, contest)[0].goal.db if now is None else now.aim.goal.db,
            short_db=0.0 if now is None else now.short_db,
            over=over_limits(found.guards, made.limits),
        ),
        made,
    )
