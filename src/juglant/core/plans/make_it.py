"""A recorded sound made to serve as a role: every move it needs, what each figure was and is, and what is outside still."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.errors import InvalidTrack
from juglant.core.hit.recorded import NAMES, RECORDED, Recorded, unit_of
from juglant.core.hit.recorded_bands import band_ranges
from juglant.core.measure.character import Character
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.plans.make_moves import EXACT_DB, MOVES, STEPS, TITLES, MoveId
from juglant.core.plans.make_state import OUTSIDE_DB, State, over_db, recorded_place


@dataclass(frozen=True)
class MakingMove:
    """One move. needed: what was measured asks for it, and on: it is made; held: it is left, for what else it would change;
    said: how much and why."""

    id: MoveId
    title: str
    needed: bool
    on: bool
    held: bool
    said: str


@dataclass(frozen=True)
class MakingFigure:
    """One figure before and after, and the range that recorded sounds of the role have, in its unit."""

    name: str
    unit: str
    before: float
    after: float
    low: float
    high: float


@dataclass(frozen=True)
class MakingBand:
    """A third octave before and after, dB re all of the sound, and its range."""

    hz: float
    before_db: float
    after_db: float
    low_db: float
    high_db: float


@dataclass(frozen=True)
class Made:
    """A hit made to serve as a role: every move there is, what each figure was and is, and what is outside still."""

    role: Role
    track: Track
    moves: tuple[MakingMove, ...]
    figures: tuple[MakingFigure, ...]
    bands: tuple[MakingBand, ...]
    outside: tuple[str, ...]
    outside_before: int


def _outside(found: Character, role: Role, ranges: Recorded) -> dict[str, str]:
    """What lies outside of recorded ones, in words, by the name of the figure."""
    said = {}
    for name, words in NAMES.items():
        value, (low, high) = float(getattr(found, name)), getattr(ranges, name)
        slack = EXACT_DB if name.endswith("_db") else 0.05 * high
        deep = name == "deep_db"
        # Of the lows a kick may have any share, and nothing else needs any.
        under, over = value < low - slack and (not deep or role == "kick"), value > high + slack
        if under or (over and not (deep and role == "kick")):
            said[name] = f"{words} {value:.0f} {unit_of(name)}, recorded {low:.0f} to {high:.0f}"
    bands = [hz for hz, off in over_db(found, role).items() if off > OUTSIDE_DB]
    if bands:
        said["bands_db"] = "louder than recorded ones at " + ", ".join(f"{hz:.0f}" for hz in bands) + " Hz"
    return said


def _weighed(state: State, tried: State | None) -> tuple[State | None, str]:
    """A move and what is to be said of it; None where none is needed, or it pushes more outside than it brings in."""
    if tried is None:
        return None, "not needed"
    was, now = (_outside(one.character(), one.role, one.ranges) for one in (state, tried))
    pushed = [words for name, words in now.items() if name not in was]
    if len(now) > len(was):
        return None, f"left: it would push outside {', '.join(pushed)}"
    return tried, f"{tried.said}; pushes outside: {', '.join(pushed)}" if pushed else tried.said


def make_it(track: Track, part: str, role: Role, off: frozenset[MoveId] = frozenset()) -> Made:
    """A track with one recorded hit made to serve as a role; `off`: moves that are not made.

    Raises NoSuchPart, and InvalidTrack where nothing in the hit was recorded, or nobody recorded such a role.
    """
    ranges = RECORDED.get(role)
    if ranges is None:
        raise InvalidTrack(f"nothing is known of recorded sounds of the role {role}: choose {', '.join(RECORDED)}")
    recorded_place(track.hit_of(part).hit)
    state = State(track, part, role, ranges)
    before = state.character()
    moves = []
    for name in MOVES:
        made = STEPS[name](state)
        tried, said = _weighed(state, made)
        on = tried is not None and name not in off
        moves.append(MakingMove(name, TITLES[name], tried is not None, on, made is not tried, said))
        if on and tried is not None:
            state = tried
    after = state.character()
    return Made(
        role=role,
        track=state.track,
        moves=tuple(moves),
        figures=tuple(
            MakingFigure(
                words, unit_of(name), float(getattr(before, name)), float(getattr(after, name)), *getattr(ranges, name)
            )
            for name, words in NAMES.items()
        ),
        bands=tuple(
            MakingBand(hz, before.bands_db[hz], after.bands_db[hz], low, high)
            for hz, (low, high) in (band_ranges(role) or {}).items()
        ),
        outside=tuple(_outside(after, role, ranges).values()),
        outside_before=len(_outside(before, role, ranges)),
    )
