"""Where the bass owns the sub: a pass on the kick beside bells and shelves, and what of the kick each keeps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.analyse import contest_of
from juglant.core.analysis.room_cost import PUNCH_HZ, measure_room
from juglant.core.loop.render import heard_kick, render_stems
from juglant.core.measure.bands import band_energies
from juglant.core.measure.timing import measure_timing
from juglant.core.model.carve import Move
from juglant.core.model.track import Track
from juglant.core.plans.bare import unplanned
from juglant.core.plans.plan import plan_carve, plan_duck
from juglant.core.plans.room_duck import share_of
from juglant.core.progress import steps
from juglant.core.separate.clearance import GOALS, kick_clearance
from juglant.core.separate.filters import yielder

KICK_WAYS = ("pass", "bells")


@dataclass(frozen=True)
class KickWayCost:
    """One way for the kick to give way, made, rendered and measured.

    punch_db: change of its energy from 56 to 180 Hz; attack_ms: before and after, None where there is none to measure;
    lost_lu: loudness it loses; short_db: of the goal.
    """

    id: str
    title: str
    moves: tuple[Move, ...]
    reached_db: float
    short_db: float
    punch_db: float | None
    attack_before_ms: float | None
    attack_ms: float | None
    lost_lu: float | None


@dataclass(frozen=True)
class KickWay:
    """What a way keeps, and the track with it."""

    cost: KickWayCost
    track: Track


def kick_ways(track: Track) -> list[KickWay]:
    """A pass, and the best plan of bells and shelves within 12 dB, on the track without its carve.

    Empty where the bass does not own the sub, where they do not meet, or where none is needed.
    """
    if yielder(track.sheet.owner) != "kick":
        return []
    bare = unplanned(track)
    out = []
    both = zip(KICK_WAYS, ("A pass", "Bells and shelves"), (False, True), strict=True)
    for name, title, bells in steps(both):
        made, plan, _ = plan_carve(bare, bells=bells)
        if plan is not None and plan.moves:
            # What its share leaves to a duck that does too.
            made = plan_duck(made)[0] if share_of(made) < 1 else made
            out.append(KickWay(_cost(name, title, bare, made), made))
    return out


def _punch(track: Track) -> float:
    audio = heard_kick(track).audio
    energies = band_energies(audio, sample_rate=track.sheet.sample_rate) if audio.size else {}
    return sum(energy for centre, energy in energies.items() if PUNCH_HZ[0] <= centre < PUNCH_HZ[1])


def _attack_ms(track: Track) -> float | None:
    return measure_timing(heard_kick(track).audio, sample_rate=track.sheet.sample_rate).attack_ms


def _cost(name: str, title: str, bare: Track, made: Track) -> KickWayCost:
    stems = render_stems(made)
    contest, table = contest_of(made)
    reached = kick_clearance(table.kick, table.bass, contest)
    room, before, after = measure_room(made, stems), _punch(bare), _punch(made)
    return KickWayCost(
        id=name,
        title=title,
        moves=made.carve.moves,
        reached_db=reached if reached is not None else float("-inf"),
        short_db=0.0 if reached is None else GOALS["bass"].short_db(reached),
        punch_db=float(10 * np.log10(after / before)) if before > 0 and after > 0 else None,
        attack_before_ms=_attack_ms(bare),
        attack_ms=_attack_ms(made),
        lost_lu=None if room is None else room.lost_lu,
    )
