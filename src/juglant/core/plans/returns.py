"""Ways a part may come back: tight, even, late; and a duck that spares the part's own attack. Each measured and judged."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.part_duck import PartDuck, lowest_hz, measure_part
from juglant.core.duck.curve import hold_end_s, starts_s
from juglant.core.duck.guards import Guards, gain_at, low_note_distortion_db
from juglant.core.duck.part_curves import first_curve, starts_beats, with_curve
from juglant.core.duck.shaped import FALL_MS
from juglant.core.duck.shaped import LEAST_RETURN_MS as SHORTEST_RETURN_MS
from juglant.core.duck.strokes import Activity
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import CurvePoint, Duck
from juglant.core.model.ids import KICK_ID
from juglant.core.model.limits import Limits
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.parameter.fields import within
from juglant.core.progress import steps
from juglant.core.types import Samples

# Late returns, the latest first; what does not bend a low note and is back is taken.
LATE_SHAPES = (2.6, 2.2, 1.8, 1.5, 1.3)
FALLS_MS = (FALL_MS, 6.0, 8.0, 12.0, 16.0, 24.0)
OFF_BEAT = 0.5
# What starts this close to a key starts with it; its attack; over how long the sum with the kick is judged.
WITH_KEY_S, ATTACK_S, SUM_S = 0.006, 0.04, 0.06
SPARE_MS, SPARE_FALL_MS = 22.0, 14.0
# Two sounds that have nothing to do with each other sum 3 dB under two in phase; less than this is cancelling.
ADDS_WELL_DB = -4.0
STEPS = 10
# What is this close to the off-beat is on it.
ON_IT_MS = 10.0


@dataclass(frozen=True)
class ReturnCost:
    """One way back, made, rendered and measured.

    half_back_beats: after the key; off_beat_beats: where the off-beat is; off_beat_db: the gain there; over: guards that
    are over their limit; attack_db: what of the part's own attack is left where it starts with a key; sum_db: kick and part
    over that attack against both in phase (0 dB: perfect).
    """

    id: str
    title: str
    hold_ms: float
    back_ms: float
    half_back_beats: float
    off_beat_beats: float
    off_beat_db: float
    clearance_db: float | None
    over: tuple[str, ...]
    attack_db: float | None
    sum_db: float | None
    said: str


@dataclass(frozen=True)
class ReturnWay:
    """What a way back does, and the track with it."""

    cost: ReturnCost
    track: Track


def over_limits(guards: Guards, limits: Limits) -> tuple[str, ...]:
    """The guards that are over their limits, by name; how deep a duck pumps is no fault."""
    found = {
        "start click": (guards.start_click_db, limits.start_click_db),
        "low-note distortion": (guards.low_note_distortion_db, limits.low_note_distortion_db),
        "not back in time": (float(len(guards.late_notes)), 0.0),
        "pile-up": (guards.pile_up_db, limits.pile_up_db),
        "level jump": (guards.level_jump_lu, limits.level_jump_lu),
        "make-up lift": (guards.make_up_lift_db, limits.make_up_lift_db),
    }
    return tuple(name for name, (value, limit) in found.items() if value is not None and value > limit)


def return_ways(track: Track, part: str) -> list[ReturnWay]:
    """Three ways back for a part's first curve, and one that spares its attack where it starts with a key.

    The depth stays. Empty where nothing keys the part or its curve does not act.
    """
    now = measure_part(track, part)
    curve = first_curve(track, part)
    if not now.strokes or not curve.on:
        return []
    curve = curve.model_copy(update={"drive": "curve", "drawn": ()})
    curve = _without_click(track, part, curve)
    made: tuple[tuple[str, str, Callable[[], Duck]], ...] = (
        ("tight", "Tight", lambda: _tight(track, part, curve, now.strokes)),
        ("even", "Even", lambda: _even(curve, now.strokes)),
        ("late", "Late", lambda: _late(track, part, curve, now.strokes)),
    )
    ways = [_way(track, part, name, title, make()) for name, title, make in steps(made)]
    if (spared := spared_curve(track, part, curve, now.strokes)) is not None:
        ways.append(_way(track, part, "spared", "After the attack", spared))
    return ways


def _room_s(one: Activity, curve: Duck) -> float:
    """By when a part must be back after one key: its recovery point, and before the next fall."""
    return min(one.recovery_s, one.next_hit_s - one.hit_s + starts_s(curve))


def _ends(curve: Duck, strokes: list[Activity]) -> tuple[float, float]:
    """The hold that covers every key's active part as far as there is time, and when the part must be back, ms."""
    room = 1000 * min(_room_s(one, curve) for one in strokes)
    active = 1000 * max(0.0, *(one.end_s for one in strokes))
    return max(0.0, min(active, room - SHORTEST_RETURN_MS)), room


def _without_click(track: Track, part: str, curve: Duck) -> Duck:
    """The curve with the shortest of some falls that does not click, beginning as much earlier."""
    for fall in FALLS_MS:
        ahead = within(Duck, "lookahead_ms", max(curve.lookahead_ms - curve.fall_ms, 0.0) + fall)
        tried = curve.model_copy(update={"fall_ms": fall, "lookahead_ms": ahead})
        click = measure_part(with_curve(track, part, tried), part).guards.start_click_db
        if click is None or click <= track.limits.start_click_db:
            return tried
    return curve


def _bends(track: Track, part: str, curve: Duck) -> bool:
    note = lowest_hz(track, part)
    return note is not None and low_note_distortion_db(curve, note) > track.limits.low_note_distortion_db


def _even(curve: Duck, strokes: list[Activity]) -> Duck:
    hold, room = _ends(curve, strokes)
    back = max(SHORTEST_RETURN_MS, round(room - hold - 0.1, 1))
    return curve.model_copy(update={"hold_ms": round(hold, 1), "return_ms": within(Duck, "return_ms", back), "shape": 1.0})


def _tight(track: Track, part: str, curve: Duck, strokes: list[Activity]) -> Duck:
    """The shortest even return that does not bend the part's lowest note, found by halving."""
    even = _even(curve, strokes)
    short = even.model_copy(update={"return_ms": SHORTEST_RETURN_MS})
    if not _bends(track, part, short):
        return short
    low, high = SHORTEST_RETURN_MS, even.return_ms
    for _ in range(STEPS):
        middle = (low * high) ** 0.5
        low, high = (middle, high) if _bends(track, part, even.model_copy(update={"return_ms": middle})) else (low, middle)
    return even.model_copy(update={"return_ms": min(round(high + 0.05, 1), even.return_ms)})


def _late(track: Track, part: str, curve: Duck, strokes: list[Activity]) -> Duck:
    """Held back as long as no low note is bent and every kept note is heard: back by the same point, swelling late."""
    even = _even(curve, strokes)
    for shape in LATE_SHAPES:
        late = even.model_copy(update={"shape": shape})
        if not _bends(track, part, late):
            return late
    return even


def _coinciding_s(track: Track, part: str, strokes: list[Activity]) -> list[float]:
    """Keys with which a note or stroke of the part starts, in seconds."""
    beat_s = 60 / track.sheet.bpm
    loop_s = track.sheet.length_beats * beat_s
    starts = np.array([at * beat_s for at in starts_beats(track, part)])
    if not starts.size:
        return []
    away = [float(np.min(np.abs((starts - one.hit_s + loop_s / 2) % loop_s - loop_s / 2))) for one in strokes]
    return [one.hit_s for one, gap in zip(strokes, away, strict=True) if gap < WITH_KEY_S]


def spared_curve(track: Track, part: str, curve: Duck, strokes: list[Activity]) -> Duck | None:
    """A late, short duck that leaves the part's attack alone; None where nothing of it starts with a key."""
    if part == KICK_ID or not _coinciding_s(track, part, strokes):
        return None
    hold, room = _ends(curve, strokes)
    low = SPARE_MS + SPARE_FALL_MS
    held = max(low + 1, hold)
    back = max(held + SHORTEST_RETURN_MS, room)
    places = ((SPARE_MS, 0.0), (low, -curve.depth_db), (held, -curve.depth_db), (back, 0.0))
    points = tuple(CurvePoint(at_ms=within(CurvePoint, "at_ms", at), gain_db=gain) for at, gain in places)
    return curve.model_copy(update={"drawn": points})


def _way(track: Track, part: str, name: str, title: str, curve: Duck) -> ReturnWay:
    made = with_curve(track, part, curve)
    found = measure_part(made, part)
    tightest = min(found.strokes, key=lambda one: one.recovery_s)
    beat_s, loop_s = 60 / track.sheet.bpm, track.sheet.length_beats * 60 / track.sheet.bpm
    key_beats = tightest.hit_s / beat_s
    off_beat = track.sheet.swung(round(key_beats + OFF_BEAT, 6)) - key_beats
    half = _half_back_s(found, tightest)
    attack, together = _at_the_attack(made, part, _coinciding_s(track, part, found.strokes))
    cost = ReturnCost(
        id=name,
        title=title,
        hold_ms=1000 * hold_end_s(curve),
        back_ms=curve.drawn[-1].at_ms if curve.drawn else 1000 * hold_end_s(curve) + curve.return_ms,
        half_back_beats=half / beat_s,
        off_beat_beats=off_beat,
        off_beat_db=gain_at(found.rows, (tightest.hit_s + off_beat * beat_s) % loop_s),
        clearance_db=found.after_db,
        over=over_limits(found.guards, track.limits),
        attack_db=attack,
        sum_db=together,
        said=_said(half / beat_s, off_beat, 1000 * beat_s, attack if name == "spared" else None, together),
    )
    return ReturnWay(cost, made)


def _half_back_s(found: PartDuck, one: Activity) -> float:
    """When a part is half of the way back after one key, in dB, seconds after it."""
    since = np.arange(0.0, one.next_hit_s - one.hit_s, 0.0005)
    gain = np.interp((one.hit_s + since) % float(found.rows.at_s[-1]), found.rows.at_s, found.rows.gain_db)
    lowest = int(gain.argmin())
    back = np.flatnonzero(gain[lowest:] >= gain[lowest] / 2)
    return float(since[lowest + int(back[0])]) if back.size else float(since[-1])


def _at_the_attack(track: Track, part: str, keys_s: list[float]) -> tuple[float | None, float | None]:
    """What of a part's attack is left, dB, and how kick and part sum there, where it starts with a key."""
    if not keys_s or part == KICK_ID:
        return None, None
    rate, own = track.sheet.sample_rate, StemRef(part)
    kick, heard, plain = (folded(render_stem(track, one)) for one in (KICK, own, own.of("unducked")))
    starts = np.round(np.array(keys_s) * rate).astype(int)
    attack = (starts[:, None] + np.arange(round(ATTACK_S * rate))) % kick.size
    window = (starts[:, None] + np.arange(round(SUM_S * rate))) % kick.size
    left = _power_db(heard[attack]) - _power_db(plain[attack])
    both = np.sqrt(np.mean(kick[window] ** 2)) + np.sqrt(np.mean(heard[window] ** 2))
    together = np.sqrt(np.mean((kick[window] + heard[window]) ** 2))
    return left, float(20 * np.log10(max(together, 1e-9) / max(both, 1e-9)))


def _power_db(audio: Samples) -> float:
    return float(10 * np.log10(max(float(np.mean(audio**2)), 1e-18)))


def _said(half: float, off_beat: float, beat_ms: float, attack: float | None, together: float | None) -> str:
    """How a return sits against the off-beat; of a spared attack whether that is worth it."""
    if attack is not None and together is not None:
        well = together >= ADDS_WELL_DB
        return (
            f"the attack stays, and kick and part {'add up' if well else 'work against each other'} there "
            f"({together:.1f} dB of perfect): {'worth it' if well else 'cover the attack instead, or turn the phase'}"
        )
    apart = (half - off_beat) * beat_ms
    if abs(apart) < ON_IT_MS:
        return "half back on the off-beat"
    return f"half back {abs(apart):.0f} ms {'before' if apart < 0 else 'after'} the off-beat"
