"""Kick against bass: the contested region, what is judged, and how far the kick is clear (method)."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from juglant.core.measure.bands import FRAME_S, LOW_CENTRES_HZ
from juglant.core.model.sheet import Owner, School, Zone
from juglant.core.types import Mask, Samples

GoalKind = Literal["at_least", "at_most"]
CONTEST_RANGE_DB = 20.0
ACTIVE_RANGE_DB = 12.0
ACTIVE_FLOOR_DB = 40.0
# Around a stroke a band-pass that runs backwards too smears what is coming: from so long before it on only what runs up to
# it is a tail; from one frame before to a little after nothing counts. Wider below the first centre, s: (below, above).
SMEARED_BELOW_HZ, SMEARED_S, AFTER_S = 45.0, (0.1, 0.06), (0.04, 0.02)
SAME_TIME_S = 1e-9
NO_CONTEST = "kick and bass do not meet: no band from 25 to 200 Hz has both within 20 dB of the loudest"
NO_ACTIVE = "the kick is over within 20 ms where it meets the bass: there is nothing to make room for"
NO_PAIR = "they do not meet: no third octave has both within 20 dB of the loudest"
NO_KICK, NO_BASS = "there is no kick in the loop", "there is no bass in the loop"


@dataclass(frozen=True)
class Goal:
    """What the owner of the sub asks of the kick's clearance."""

    db: float
    kind: GoalKind
    split_hz: float

    def short_db(self, clearance_db: float) -> float:
        """How far a clearance falls short of the goal, 0 where it is reached."""
        return max(0.0, self.db - clearance_db if self.kind == "at_least" else clearance_db - self.db)


GOALS: dict[School, Goal] = {
    "kick": Goal(10, "at_least", 100),
    "shared": Goal(6, "at_least", 200),
    "kick-is-bass": Goal(15, "at_least", 200),
    "bass": Goal(-10, "at_most", 100),
}


@dataclass(frozen=True)
class Strokes:
    """Where the kick is struck, and its bands as a filter finds them that runs forward alone, (bands, frames)."""

    at_s: tuple[float, ...]
    loop_s: float
    forward: Samples


@dataclass(frozen=True)
class Contest:
    """What is fought over, decided once on the before stems.

    strokes_s: the strokes whose smear ahead is left out; kick_there, bass_there: which bands each part has anything in.
    """

    contested: tuple[bool, ...]
    judged: tuple[bool, ...]
    active: Mask  # (bands, frames)
    reason: str | None
    strokes_s: tuple[float, ...] = ()
    kick_there: tuple[bool, ...] = ()
    bass_there: tuple[bool, ...] = ()

    @property
    def judged_bands(self) -> list[int]:
        """Indices of the judged bands."""
        return [i for i, judged in enumerate(self.judged) if judged]

    def active_any(self) -> Mask:
        """Frames in which any judged cell is active, (frames,)."""
        rows = self.active[self.judged_bands]
        return np.asarray(rows.any(axis=0)) if rows.size else np.zeros(self.active.shape[1], dtype=bool)


def _active(kick: Samples) -> Mask:
    """Cells within 12 dB of their own band's peak and 40 dB of the loudest band's."""
    peak = kick.max(axis=1)
    near = kick >= peak[:, None] * 10 ** (-ACTIVE_RANGE_DB / 10)
    return np.asarray(near & (kick >= float(peak.max()) * 10 ** (-ACTIVE_FLOOR_DB / 10)) & (kick > 0))


def _without_smear(active: Mask, strokes: Strokes) -> Mask:
    """Active cells without what a filter that runs backwards too makes of a coming stroke."""
    real = _active(strokes.forward)
    at = np.arange(active.shape[1]) * FRAME_S
    low = np.array(LOW_CENTRES_HZ) < SMEARED_BELOW_HZ
    kept = active.copy()
    for stroke in strokes.at_s:
        since = (at - stroke + strokes.loop_s / 2) % strokes.loop_s - strokes.loop_s / 2
        for rows, ahead, after in zip((low, ~low), SMEARED_S, AFTER_S, strict=True):
            before = (since >= -ahead - SAME_TIME_S) & (since < -FRAME_S - SAME_TIME_S)
            there = (since >= -FRAME_S - SAME_TIME_S) & (since <= after + SAME_TIME_S)
            kept[rows] &= ~(before & ~real[rows]) & ~there
    return kept


def find_contest(
    kick_before: Samples, bass_before: Samples, owner: Owner, strokes: Strokes | None = None, zones: Sequence[Zone] = ()
) -> Contest:
    """Contested region and active cells from band energies of the before stems, each (bands, frames).

    strokes: where the kick is struck, so that what is smeared ahead of it is not taken for it; zones: where the low end is
    owned by zones, up to the highest of which is judged.
    """
    top_hz = zones[-1].to_hz if owner == "zones" else GOALS[owner].split_hz
    kick_peak, bass_peak = kick_before.max(axis=1), bass_before.max(axis=1)
    highest = max(float(kick_peak.max()), float(bass_peak.max()))
    floor = highest * 10 ** (-CONTEST_RANGE_DB / 10)
    kick_there, bass_there = (kick_peak >= floor) & (highest > 0), (bass_peak >= floor) & (highest > 0)
    contested = kick_there & bass_there
    active = _active(kick_before)
    if strokes is not None:
        active = _without_smear(active, strokes)
    below = np.array(LOW_CENTRES_HZ) <= top_hz * 1.0001
    reason = None
    if float(kick_peak.max()) <= 0:
        reason = NO_KICK
    elif float(bass_peak.max()) <= 0:
        reason = NO_BASS
    elif not (contested & below).any():
        reason = NO_CONTEST
    judged = contested & below
    if reason is None and not active[judged].any():
        reason = NO_ACTIVE
    at_s = () if strokes is None else strokes.at_s
    masks = (tuple(map(bool, mask)) for mask in (kick_there, bass_there))
    return Contest(tuple(map(bool, contested)), tuple(map(bool, judged)), active, reason, at_s, *masks)


def find_pair(owner: Samples, yielder: Samples, strokes_s: Sequence[float] = ()) -> Contest:
    """What an owner and a part that gives way to it fight over, by the energies of both in any bands, (bands, frames).

    Contested and judged: where both have a frame within 20 dB of the highest of either. Active: the owner's cells, without
    what comes up in the 80 ms before one of its strokes: the filters smear that ahead, and a frame begins before it.
    """
    peaks = owner.max(axis=1), yielder.max(axis=1)
    highest = max(float(peaks[0].max()), float(peaks[1].max()))
    floor = highest * 10 ** (-CONTEST_RANGE_DB / 10)
    contested = (peaks[0] >= floor) & (peaks[1] >= floor) & (highest > 0)
    bands = tuple(map(bool, contested))
    active = _active(owner)
    for stroke in strokes_s:
        # The frame that a stroke falls into begins before it, and is its own as little.
        first = math.ceil(stroke / FRAME_S - SAME_TIME_S)
        ahead = np.arange(first - round(SMEARED_S[1] / FRAME_S) - 1, first) % active.shape[1]
        # A tail that runs up to the stroke is there before as well.
        active[:, ahead] &= active[:, [ahead[0] - 1]]
    return Contest(bands, bands, active, None if contested.any() else NO_PAIR)


def ratio_db(kick: float, bass: float) -> float | None:
    """Kick over bass in dB of energy; None where either is silent."""
    return float(10 * np.log10(kick / bass)) if kick > 0 and bass > 0 else None


def kick_clearance(kick: Samples, bass: Samples, contest: Contest) -> float | None:
    """Kick clearance in dB over the judged bands' active cells; None where nothing is contested."""
    if contest.reason:
        return None
    cells = contest.active.copy()
    cells[[i for i, judged in enumerate(contest.judged) if not judged]] = False
    return ratio_db(float(kick[cells].sum()), float(bass[cells].sum()))
