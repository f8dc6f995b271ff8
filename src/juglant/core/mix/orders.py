"""Orders of work: the carve first and the duck for what is left, or the duck first; what each needs and costs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.measure.level import loop_loudness
from juglant.core.mix.analyse import contest_of
from juglant.core.mix.ducks import measure_part
from juglant.core.mix.plan import plan_carve, plan_duck, without_room
from juglant.core.mix.render import render_stems
from juglant.core.mix.returns import over_limits
from juglant.core.model.duck import BASS_PART
from juglant.core.model.track import Track
from juglant.core.separate.clearance import kick_clearance
from juglant.core.separate.filters import move_sections, yielder
from juglant.core.signal.filters import response

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
    """Carve first; duck first as deep as it takes; duck first no deeper than is heard as groove, then the carve.

    On the track without carve and duck, its key and recovery point kept. Empty where kick and bass do not clash.
    """
    own = track.duck.model_copy(update={"drawn": (), "drive": "curve"})
    bare = without_room(track).model_copy(update={"duck": own.model_copy(update={"on": False})})
    stems = render_stems(bare)
    contest, _ = contest_of(bare, stems)
    if contest.reason is not None:
        return []
    part = yielder(track.sheet.owner)
    loud = loop_loudness(getattr(stems, part), sample_rate=track.sheet.sample_rate)
    first, _ = plan_duck(plan_carve(bare)[0])
    deep, reached = plan_duck(bare)
    made = [("carve-first", "Carve first, duck what is left", first)]
    if deep.duck.on:
        left = deep if reached.clearance_db is not None and not reached.limited else plan_carve(deep, ducked=True)[0]
        made.append(("duck-first", "Duck first, as deep as it takes", left))
        shallow = deep.duck.model_copy(update={"depth_db": min(deep.duck.depth_db, track.limits.pumping_db)})
        if shallow.depth_db < deep.duck.depth_db:
            quiet = deep.model_copy(update={"duck": shallow})
            title = f"Duck first, at most {track.limits.pumping_db:g} dB, carve the rest"
            made.append(("duck-lightly", title, plan_carve(quiet, ducked=True)[0]))
    return [_order(*one, part, loud) for one in made]


def _order(name: str, title: str, made: Track, part: str, loud: float | None) -> Order:
    stems = render_stems(made)
    contest, table = contest_of(made, stems)
    reached = kick_clearance(table.kick, table.bass, contest)
    found = measure_part(made, BASS_PART)
    goal = found.goal
    assert goal is not None  # noqa: S101 - only the kick has none
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
            reached_db=reached,
            goal_db=goal.db,
            short_db=0.0 if reached is None else goal.short_db(reached),
            over=over_limits(found.guards, made.limits),
        ),
        made,
    )
