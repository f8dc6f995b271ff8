"""Several recordings of one thing as one hit: grouped by the strength they were struck with, aligned, evened, in turn."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from juglant.core.errors import InvalidAudio
from juglant.core.measure.character import measure_character
from juglant.core.measure.impacts import Impact, find_impacts
from juglant.core.measure.level import energy_loudness_db
from juglant.core.measure.stereo import for_measuring
from juglant.core.model.velocity import HARDEST, SOFTEST, Velocity
from juglant.core.signal.match import likeness
from juglant.core.synth.take import MOST_ALTERNATES, Alternate, Take
from juglant.core.synth.takes import TakeAudio
from juglant.core.types import Samples

# Strokes so much apart in loudness were struck with another strength; at most so many strengths (this project's choice).
GROUPS_APART_DB, MOST_GROUPS, MOST_IN_TURN = 3.0, 4, 8
# What is so far from the middle of all, by third octaves, is another thing.
UNLIKE_DB = 12.0
ALIGN_MS, ALIGN_OVER_MS, ALIKE = 1.5, 12.0, 0.6
HEARD_S, BOUNCE_S = 0.6, 0.08


@dataclass(frozen=True)
class Picked:
    """One stroke of a recording, by the take and its number in it; why_not: why it is left out unless it is asked for."""

    take: str
    number: int
    begin_ms: float
    length_ms: float
    loudness_db: float
    why_not: str | None


@dataclass(frozen=True)
class Grouped:
    """One stroke as it is played: what it was, and what evens it. early_ms: how much it was moved to align it."""

    take: str
    number: int
    velocity: int
    loudness_db: float
    gain_db: float
    early_ms: float


@dataclass(frozen=True)
class Alternates:
    """One hit of several recordings: its source, the strokes as they are played, and what is to be said of them."""

    source: Take
    velocity: Velocity
    strokes: tuple[Grouped, ...]
    said: tuple[str, ...]


def strokes_in(take: str, found: TakeAudio) -> list[Picked]:
    """Every stroke of a recording, with its K-weighted loudness and why it may not serve; empty where nothing begins."""
    mono, rate = for_measuring(found.audio), found.sample_rate
    out = []
    for number, one in enumerate(_whole(find_impacts(mono, sample_rate=rate)), 1):
        stretch = _stretch(mono, one.begin_s, one.end_s, rate)
        out.append(
            Picked(
                take=take,
                number=number,
                begin_ms=round(1000 * one.begin_s, 4),
                length_ms=round(1000 * (one.end_s - one.begin_s), 4),
                loudness_db=round(energy_loudness_db(stretch, sample_rate=rate), 2),
                why_not=_why_not(one),
            )
        )
    return out


def _whole(impacts: list[Impact]) -> list[Impact]:
    """Impacts with what bounces within 80 ms of one, and is softer, as part of it."""
    out: list[Impact] = []
    for one in impacts:
        if out and one.begin_s - out[-1].begin_s < BOUNCE_S and one.level_db < out[-1].level_db:
            out[-1] = replace(out[-1], end_s=one.end_s, after_s=one.after_s, runs_on=one.runs_on)
        else:
            out.append(one)
    return out


def _why_not(one: Impact) -> str | None:
    if one.clipped:
        return "it clips"
    return "the next one begins while it still rings" if one.runs_on else None


def _stretch(mono: Samples, begin_s: float, end_s: float, rate: int) -> Samples:
    return mono[round(begin_s * rate) : round(min(end_s, begin_s + HEARD_S) * rate)]


def unlike(picked: list[Picked], takes: dict[str, TakeAudio]) -> set[int]:
    """Places of the strokes that are another thing by their third octaves: further than 12 dB from the middle of all."""
    heights: list[Samples | None] = []
    for one in picked:
        found = takes[one.take]
        begin_s = one.begin_ms / 1000
        stretch = _stretch(for_measuring(found.audio), begin_s, begin_s + one.length_ms / 1000, found.sample_rate)
        character = measure_character(stretch, sample_rate=found.sample_rate)
        heights.append(None if character is None else np.array(list(character.bands_db.values())))
    known = [one for one in heights if one is not None]
    if len(known) < 3 or len({one.size for one in known}) > 1:
        return set()
    middle = np.median(np.stack(known), axis=0)
    # Where the thing itself sounds: what is 40 dB down is noise.
    counts = middle > middle.max() - 40
    return {
        at
        for at, one in enumerate(heights)
        if one is not None and math.sqrt(float(np.mean((one - middle)[counts] ** 2))) > UNLIKE_DB
    }


def _groups(loudness_db: list[float]) -> list[list[int]]:
    """Places by strength, the strongest first: split at the widest gaps of 3 dB or more."""
    order = sorted(range(len(loudness_db)), key=lambda at: -loudness_db[at])
    gaps = sorted(
        ((loudness_db[a] - loudness_db[b], place) for place, (a, b) in enumerate(pairwise(order), 1)),
        reverse=True,
    )
    cuts = sorted(place for gap, place in gaps[: MOST_GROUPS - 1] if gap >= GROUPS_APART_DB)
    ends = [0, *cuts, len(order)]
    return [order[first:last] for first, last in pairwise(ends)]


def _aligned_ms(picked: list[Picked], takes: dict[str, TakeAudio]) -> list[float]:
    """By how much each stroke begins earlier in its file than where it was found, ms: as the strongest one lies."""
    rates = {takes[one.take].sample_rate for one in picked}
    strongest = max(picked, key=lambda one: one.loudness_db)
    if len(rates) > 1:
        # At unlike rates samples do not lie on each other: where each begins is measured on its own.
        return [0.0] * len(picked)
    rate = rates.pop()
    reach, over = round(ALIGN_MS * rate / 1000), round(ALIGN_OVER_MS * rate / 1000)
    mono = {take: for_measuring(found.audio) for take, found in takes.items()}

    def head(one: Picked, lead: int) -> Samples:
        begin = round(one.begin_ms * rate / 1000) - lead
        sound = np.pad(mono[one.take], (reach, over + 2 * reach))
        return sound[max(0, begin + reach) :][: over + 2 * lead]

    model, out = head(strongest, 0), []
    for one in picked:
        wide = head(one, reach)
        match = likeness(wide, model)
        best = int(np.argmax(np.abs(match)))
        lag = best - reach if abs(match[best]) >= ALIKE else 0
        out.append(-1000 * lag / rate)
    return out


def alternates_of(picked: list[Picked], takes: dict[str, TakeAudio]) -> Alternates:
    """One hit of several strokes; raises InvalidAudio where there is none, or more than may be played in turn.

    All are brought to the loudness of the strongest: how much softer a stroke is its velocity says, by the range of the
    strengths that were found.
    """
    if not picked:
        raise InvalidAudio("no stroke is chosen: nothing begins in these sounds, or all of it is left out")
    if len(picked) > MOST_ALTERNATES:
        raise InvalidAudio(
            f"{len(picked)} strokes are chosen, at most {MOST_ALTERNATES} are played in turn: leave some out"
        )
    loudness = [one.loudness_db for one in picked]
    groups, early_ms = _groups(loudness), _aligned_ms(picked, takes)
    top = float(np.median([loudness[at] for at in groups[0]]))
    softest = float(np.median([loudness[at] for at in groups[-1]]))
    range_db = _range_db(top - softest, len(groups))
    alternates, strokes = [], []
    for group in groups:
        under = top - float(np.median([loudness[at] for at in group]))
        velocity = round(HARDEST - (HARDEST - SOFTEST) * (under / range_db if range_db else 0.0))
        for at in sorted(group, key=lambda at: (picked[at].take, picked[at].number)):
            one = picked[at]
            begin_ms = max(0.0, one.begin_ms - early_ms[at])
            gain_db = round(min(60.0, max(-60.0, top - one.loudness_db)), 2)
            alternates.append(
                Alternate(
                    take=one.take,
                    begin_ms=round(begin_ms, 4),
                    length_ms=round(max(1.0, one.length_ms), 4),
                    gain_db=gain_db,
                    velocity=max(SOFTEST, velocity),
                )
            )
            strokes.append(
                Grouped(one.take, one.number, max(SOFTEST, velocity), one.loudness_db, gain_db, round(early_ms[at], 3))
            )
    sizes = [len(group) for group in groups]
    first = alternates[0]
    return Alternates(
        source=Take(take=first.take, alternates=tuple(alternates)),
        velocity=Velocity(
            range_db=round(range_db, 1),
            # Recordings of a soft stroke are dark and slow by themselves.
            darker_octaves=0.0 if len(groups) > 1 else 2.0,
            softer_ms=0.0 if len(groups) > 1 else 2.0,
            robins=_in_turn(sizes),
            robin_db=0.0,
            robin_cents=0.0,
        ),
        strokes=tuple(strokes),
        said=_said(sizes),
    )


def _range_db(found_db: float, groups: int) -> float:
    """How much softer the softest velocity is than the hardest, dB: as recorded, a little below the softest group."""
    usual = float(Velocity().range_db)
    return usual if groups < 2 else min(60.0, max(found_db * 1.15, GROUPS_APART_DB))


def _in_turn(sizes: list[int]) -> int:
    """So many strokes until all begin anew: each strength in whole turns where eight allow it, else the largest."""
    whole = math.lcm(*sizes)
    return whole if whole <= MOST_IN_TURN else min(MOST_IN_TURN, max(sizes))


def _said(sizes: list[int]) -> tuple[str, ...]:
    if sizes == [1]:
        return ("one stroke alone: every stroke sounds the same, and softer ones are made from it",)
    out = []
    if len(sizes) == 1:
        out.append(f"{sizes[0]} strokes of one strength, played in turn: softer ones are made from them")
    else:
        words = ", ".join(str(size) for size in sizes)
        out.append(f"{len(sizes)} strengths, the strongest first: {words} {'strokes' if sum(sizes) > 1 else 'stroke'}")
        if 1 in sizes:
            out.append("a strength with one stroke alone sounds the same every time")
    if max(sizes) > MOST_IN_TURN:
        out.append(f"{MOST_IN_TURN} of a strength are heard in turn at the most: the first ones")
    return tuple(out)
