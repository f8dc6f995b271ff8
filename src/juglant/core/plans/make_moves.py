"""Moves that make a recorded sound serve as a role, each computed from what is measured and what the role asks.

What a role asks is the range of recorded drums of that role, figure by figure and third octave by third octave. No move
goes further than to the nearest end of a range, and where none is needed there is none.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import numpy as np

from juglant.core.chain.drawn import SILENT_DB, Drawn, Point
from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.transient import Transient
from juglant.core.errors import InvalidTrack
from juglant.core.hit.levelled import moved_by
from juglant.core.measure.character import Character
from juglant.core.measure.level import db
from juglant.core.model.hit import MAX_LAYERS, Layer
from juglant.core.model.ids import Role
from juglant.core.music.notes import note_hz
from juglant.core.music.scales import scale_classes, spelled
from juglant.core.plans.make_state import OUTSIDE_DB, QUIET_DB, State, body_of, over_db
from juglant.core.synth.beater import Beater
from juglant.core.synth.clap import Clap
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep
from juglant.core.tune.added import with_layer
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.retune import tuned

Figured = Callable[[Character], float]
MoveId = Literal["tune", "low-cut", "high-cut", "bells", "length", "attack", "sub", "top", "level"]
TITLES: dict[MoveId, str] = {
    "tune": "Tune", "low-cut": "Low cut", "high-cut": "High cut", "bells": "Clean", "length": "Shorten",
    "attack": "Attack", "sub": "Add a sub", "top": "Add a top", "level": "Level",
}  # fmt: skip
MOVES: tuple[MoveId, ...] = tuple(TITLES)
MOST_BELLS, MOST_CUT_DB, MOST_BOOST_DB, MOST_SECTIONS = 3, 18.0, 6.0, 2
# A high cut is for what stands over from here on.
TOP_HZ = 4000.0
# What is raised is raised this broadly, octaves: a gap between two partials is none of the role's.
BROAD = 1.0
# Where kicks of this music land (common practice: E1 to B1), Hz.
KICK_LOW_HZ, KICK_HIGH_HZ = 41.0, 62.0
PEAK_DB = -1.0
# Half a step of a solved level, dB, and how far inside the end of a range it goes.
EXACT_DB, INSIDE_DB = 0.25, 0.5
MOST_ATTACK_DB, QUIETEST_LAYER_DB, LOUDEST_LAYER_DB = 12.0, -58.0, 6.0


def _run(over: dict[float, float], *, from_below: bool) -> list[float]:
    """Bands from one end of the spectrum on that stand over their ranges, without a gap of more than one."""
    order, run, gap = sorted(over, reverse=not from_below), list[float](), 0
    for hz in order:
        if over[hz] > OUTSIDE_DB:
            run.append(hz)
            gap = 0
        elif run:
            gap += 1
            if gap > 1:
                break
    return run


def _passed(state: State, shape: Literal["high-pass", "low-pass"]) -> State | None:
    """With the gentlest pass that brings the bands at one end into their ranges; None where none stands over them."""
    below = shape == "high-pass"
    run = _run(over_db(state.character(), state.role), from_below=below)
    if not run or state.room_in_chain() < MOST_SECTIONS:
        return None
    if not below and max(run) < TOP_HZ:
        # Something in the middle, with a top of its own above it: that is cleaned, and the top stays.
        return None
    body = body_of(state.role)
    # From the furthest corner inwards, the body left alone: the first that is enough is the least there is.
    ends = (20.0, min(body) * 0.9) if below else (18000.0, max(body) * 1.1)
    least = max(over_db(state.character(), state.role)[hz] for hz in run)
    best = None
    for sections in range(1, MOST_SECTIONS + 1):
        for corner in np.geomspace(*ends, 16):
            eq = Equalizer(shape=shape, frequency_hz=float(round(corner)), q=0.71)
            side = "below" if below else "above"
            said = f"{12 * sections} dB an octave {side} {corner:.0f} Hz: recorded ones have less there"
            tried = state.with_chain(*[eq] * sections, said=said)
            over = over_db(tried.character(), state.role)
            worst = max(over[hz] for hz in run)
            if worst < least - 2 * EXACT_DB:
                least, best = worst, tried
            if worst <= OUTSIDE_DB:
                return best
    return best


def _cleaned(state: State) -> State | None:
    """With up to three bells where bands stand out of their ranges, the furthest first."""
    said, now, raised = list[str](), state, False
    for _ in range(MOST_BELLS):
        if now.room_in_chain() < 1:
            break
        over = over_db(now.character(), now.role)
        # What is hardly there cannot be raised: that is what an added layer is for.
        bands = now.character().bands_db
        strong = max(bands.values()) - QUIET_DB
        over = {hz: off for hz, off in over.items() if off >= 0 or (bands[hz] > strong and not raised)}
        worst = max(over, key=lambda hz: abs(over[hz]), default=None)
        if worst is None or abs(over[worst]) <= OUTSIDE_DB:
            break
        side = math.copysign(1, over[worst])
        order = sorted(over)
        first = last = order.index(worst)
        while first > 0 and over[order[first - 1]] * side > OUTSIDE_DB:
            first -= 1
        while last + 1 < len(order) and over[order[last + 1]] * side > OUTSIDE_DB:
            last += 1
        width = 2 ** max((last - first + 1) / 3, 1 / 3 if side > 0 else BROAD)
        q = float(np.clip(math.sqrt(width) / (width - 1), 0.3, 6))
        centre = float(round(math.sqrt(order[first] * order[last])))
        most = MOST_CUT_DB if side > 0 else MOST_BOOST_DB
        gain = min(most, abs(over[worst]) - OUTSIDE_DB / 2)
        bell = Equalizer(frequency_hz=centre, gain_db=round(-side * gain, 1), q=round(q, 2))
        tried = now.with_chain(bell)
        after = over_db(tried.character(), now.role)
        if sum(map(abs, after.values())) >= sum(map(abs, over_db(now.character(), now.role).values())):
            break
        now, raised = tried, raised or side < 0
        said.append(f"{bell.gain_db:+.1f} dB at {centre:.0f} Hz")
    return replace(now, said=", ".join(said)) if said else None


def _shortened(state: State) -> State | None:
    """With an envelope under which it falls as fast as the slowest recorded one; None where it is as short."""
    falls, longest = state.character().fall_ms, state.ranges.fall_ms[1]
    if falls <= longest * 1.05 or state.room_in_chain() < 1:
        return None
    end_ms, now = 1 / (1 / longest - 1 / falls), state
    for _ in range(4):
        points = (Point(at_ms=0, level_db=0), Point(at_ms=round(min(end_ms, 29000.0), 1), level_db=SILENT_DB))
        now = state.with_chain(Drawn(points=points))
        reached = now.character().fall_ms
        if abs(reached - longest) < 0.03 * longest:
            break
        end_ms *= longest / reached
    return replace(
        now, said=f"falls in {now.character().fall_ms:.0f} ms instead of {falls:.0f}: the longest recorded {longest:.0f}"
    )


def _solved(
    make: Callable[[float], State], figure: Callable[[Character], float], goal: float, low: float, high: float
) -> float:
    """The least value between two at which a figure that rises with it reaches a goal; `high` where none does."""
    if figure(make(high).character()) < goal:
        return high
    while high - low > EXACT_DB:
        middle = (low + high) / 2
        low, high = (low, middle) if figure(make(middle).character()) >= goal else (middle, high)
    return high


def _struck(state: State) -> State | None:
    """With more of an attack where its crest is under every recorded one's."""
    least, crest = state.ranges.crest_db[0], state.character().crest_db
    if crest >= least - EXACT_DB or state.room_in_chain() < 1:
        return None

    def make(attack_db: float) -> State:
        return state.with_chain(Transient(attack_db=round(attack_db, 2), sustain_db=0))

    gain = _solved(make, lambda found: found.crest_db, least, 0, MOST_ATTACK_DB)
    now = make(gain)
    if now.character().crest_db < crest + 2 * EXACT_DB:
        # What has no start gets none by this.
        return None
    return replace(now, said=f"{gain:+.1f} dB on what rises: crest {crest:.0f} to {now.character().crest_db:.0f} dB")


def _layered(state: State, name: str, engine: AnyEngine, figure: Callable[[Character], float], goal: float) -> State | None:
    """With a layer of an engine that brings a figure to a goal, at the least level that does; None without room for it."""
    if len(state.hit.layers) >= MAX_LAYERS:
        return None
    taken = {layer.id for layer in state.hit.layers}
    own = next(one for one in (f"made-{n}" for n in range(1, MAX_LAYERS + 2)) if one not in taken)
    joined = replace(state, track=with_layer(state.track, state.part, Layer(id=own, name=name, source=engine)).track)

    def make(gain_db: float) -> State:
        layers = tuple(
            layer.model_copy(update={"gain_db": round(gain_db, 2)}) if layer.id == own else layer
            for layer in joined.hit.layers
        )
        return joined.with_hit(joined.hit.model_copy(update={"layers": layers}), "")

    gain = _solved(make, figure, goal, QUIETEST_LAYER_DB, LOUDEST_LAYER_DB)
    return replace(make(gain), said=f"at {gain:+.1f} dB")


def _with_sub(state: State) -> State | None:
    """A kick with a sub where it has less below 80 Hz than every recorded one."""
    least, deep = state.ranges.deep_db[0], state.character().deep_db
    if state.role != "kick" or deep >= least:
        return None
    pitch = hit_pitch(state.track, state.track.hit_of(state.part)).used_hz
    landing = pitch if pitch and KICK_LOW_HZ * 0.9 <= pitch <= KICK_HIGH_HZ * 1.1 else _in_key(state, 50.0)[1]
    decay = float(np.clip(state.character().fall_ms / 3, 60, 250))
    engine = Sweep(landing_hz=round(landing, 2), start_semitones=12, sweep_ms=25, hold_ms=10, decay_ms=round(decay))
    made = _layered(state, "Sub", engine, lambda found: found.deep_db, least + INSIDE_DB)
    if made is None:
        return None
    after = made.character().deep_db
    return replace(made, said=f"{made.said}, {landing:.1f} Hz: below 80 Hz {deep:.0f} to {after:.0f} dB")


TOPS: dict[Role, tuple[str, AnyEngine]] = {
    "kick": ("Beater", Beater(high_pass_hz=900, low_pass_hz=7000, decay_ms=12)),
    "tom": ("Stick", Beater(high_pass_hz=1500, low_pass_hz=7000, decay_ms=8)),
    "snare": ("Wires", Snare(tone_db=-40, high_pass_hz=900, noise_ms=180, noise_db=0, drive_db=0)),
    "clap": ("Hands", Clap()),
}


def _with_top(state: State) -> State | None:
    """With a beater, a stick, wires or hands where it has less above 2 kHz than every recorded one."""
    least, bright = state.ranges.bright_db[0], state.character().bright_db
    if state.role not in TOPS or bright >= least:
        return None
    name, engine = TOPS[state.role]
    made = _layered(state, name, engine, lambda found: found.bright_db, least + INSIDE_DB)
    if made is None:
        return None
    return replace(
        made, said=f"{name.lower()} {made.said}: above 2 kHz {bright:.0f} to {made.character().bright_db:.0f} dB"
    )


def _in_key(state: State, near_hz: float) -> tuple[int, float]:
    """The note of the key between E1 and B1 that is nearest to a frequency, as a number and in Hz."""
    sheet = state.track.sheet
    notes = [
        number
        for number in range(24, 36)
        if number % 12 in scale_classes(sheet.tonic, sheet.scale)
        and KICK_LOW_HZ <= note_hz(number, sheet.a4_hz) <= KICK_HIGH_HZ
    ]
    best = min(notes, key=lambda number: abs(math.log2(note_hz(number, sheet.a4_hz) / near_hz)))
    return best, note_hz(best, sheet.a4_hz)


def _tuned(state: State) -> State | None:
    """A kick moved to the nearest note of the key between E1 and B1, by playback speed; None where it lands on one."""
    if state.role != "kick":
        return None
    one = state.track.hit_of(state.part)
    hz = hit_pitch(state.track, one).used_hz
    if hz is None:
        return None
    number, to_hz = _in_key(state, hz)
    cents = 1200 * math.log2(to_hz / hz)
    if abs(cents) < 5 or abs(cents) > 2400:
        return None
    sheet = state.track.sheet
    try:
        track = tuned(state.track, state.part, to_hz, "playback speed")
    except InvalidTrack:
        return None
    name = spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)
    return replace(state, track=track, said=f"{hz:.1f} Hz to {name}, {to_hz:.1f} Hz: {cents:+.0f} cents, by playback speed")


def _levelled(state: State) -> State | None:
    """With its peak at -1 dBFS, as far as the levels of its layers go."""
    peak = db(float(np.max(np.abs(state.sound()), initial=0.0)))
    if abs(PEAK_DB - peak) < EXACT_DB:
        return None
    now = state.with_hit(moved_by(state.hit, PEAK_DB - peak), "")
    reached = db(float(np.max(np.abs(now.sound()), initial=0.0)))
    return replace(now, said=f"peak {peak:.1f} to {reached:.1f} dB")


STEPS: dict[MoveId, Callable[[State], State | None]] = {
    "tune": _tuned,
    "low-cut": lambda state: _passed(state, "high-pass"),
    "high-cut": lambda state: _passed(state, "low-pass"),
    "bells": _cleaned,
    "length": _shortened,
    "attack": _struck,
    "sub": _with_sub,
    "top": _with_top,
    "level": _levelled,
}
