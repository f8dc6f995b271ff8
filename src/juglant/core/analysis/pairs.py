"""Any two parts: zone by zone who is over whom while the one that has it sounds, and the least cut that makes room."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.analysis.duck_aims import PAIR_GOAL_DB, part_title
from juglant.core.analysis.other_parts import bus_full, on_bus
from juglant.core.analysis.stem_bands import all_bands_of
from juglant.core.chain.equalizer import Equalizer
from juglant.core.duck.part_curves import starts_beats
from juglant.core.errors import InvalidTrack
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ, FRAME_S, ZONE_EDGES_HZ
from juglant.core.measure.level import loop_loudness
from juglant.core.memory import elsewhere, newest
from juglant.core.model.carve import MOST_MOVES, Move
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.stem import StemRef, StemState
from juglant.core.model.track import Track
from juglant.core.parameter.fields import limits_of
from juglant.core.progress import steps
from juglant.core.separate.clearance import Contest, find_pair, kick_clearance
from juglant.core.signal.filters import cookbook, response
from juglant.core.types import Samples

# Under the lowest nothing is judged, and the highest has no upper edge.
ZONES = tuple(name for name in ZONE_EDGES_HZ if name != "under")
HIGHEST_HZ = 16000.0
# The part that gives way counts as there within this of the one that has the zone.
THERE_DB = 20.0
# A zone in which the owner is so far under its own loudest band is not its; clearer than this is clear.
OWN_DB, CLEAREST_DB = 40.0, 60.0
# A cut is no deeper than this, and its goal is met within this.
DEEPEST_DB, NEARLY_DB = 12.0, 0.1
WIDEST_Q, NARROWEST_Q = 0.7, 2.0
ROUNDS, HALVINGS = 4, 20


@dataclass(frozen=True)
class PairCut:
    """One bell on the part that gives way: what it reaches as rendered, and what it takes of that part's loudness, LU."""

    frequency_hz: float
    gain_db: float
    q: float
    reached_db: float
    short_db: float
    lost_lu: float


@dataclass(frozen=True)
class ZonePair:
    """One zone of two parts, as heard.

    clearance_db: the owner over the other in the owner's active cells, None where they do not meet there; together_pct: in
    how much of the time in which the owner is active the other is within 20 dB of it; worst_beats: where it is least clear.
    """

    zone: str
    from_hz: float
    to_hz: float
    clearance_db: float | None
    goal_db: float
    short_db: float
    together_pct: float
    worst_beats: float | None
    cut: PairCut | None


@dataclass(frozen=True)
class PairFigures:
    """Two parts, by name, in every zone; reason: why the part that gives way cannot be cut further, empty where it can."""

    owner: str
    yielder: str
    zones: tuple[ZonePair, ...]
    reason: str


@dataclass(frozen=True)
class Side:
    """One part: its bands before and as heard, (bands, frames)."""

    before: Samples
    heard: Samples


def _frames(track: Track, part: str, state: StemState) -> Samples:
    return all_bands_of(track, StemRef(part, state))


def side_of(track: Track, part: str) -> Side:
    """A part's bands before and as heard; raises NoSuchPart."""
    return Side(_frames(track, part, "before"), _frames(track, part, "heard"))


def zone_rows(zone: str, count: int) -> list[int]:
    """The third octaves of a zone."""
    low, high = ZONE_EDGES_HZ[zone]
    return [row for row, centre in enumerate(CENTRES_HZ[:count]) if low <= centre < high]


def contest_of_pair(track: Track, owner: str, one: Side, other: Side, rows: list[int]) -> Contest:
    """Where they meet in some bands, on the before stems: active are the owner's cells."""
    beat_s = 60 / track.sheet.bpm
    strokes = [at * beat_s for at in starts_beats(track, owner)]
    return find_pair(one.before[rows], other.before[rows], strokes)


def checked(track: Track, owner: str, yielder: str) -> None:
    """Raises NoSuchPart where one is not there, InvalidTrack where they are one and the same."""
    for part in (owner, yielder):
        part_title(track, part)
    if owner == yielder:
        raise InvalidTrack("a part does not give way to itself: choose two")


@newest(8)
@elsewhere(lambda track, owner, yielder: f"Comparing {part_title(track, owner)} and {part_title(track, yielder)}")
def pair_figures(track: Track, owner: str, yielder: str) -> PairFigures:
    """Every zone of two parts, and the least cut on the second where the first is not clear of it (remembered).

    Raises NoSuchPart, or InvalidTrack where they are one and the same.
    """
    checked(track, owner, yielder)
    one, other = side_of(track, owner), side_of(track, yielder)
    full = cut_full(track, yielder)
    zones = []
    for zone in steps(ZONES):
        found = zone_of_pair(track, owner, one, other, zone)
        if found.short_db > NEARLY_DB and not full:
            found = with_least_cut(track, (owner, yielder), one, other, found)
        zones.append(found)
    return PairFigures(part_title(track, owner), part_title(track, yielder), tuple(zones), full)


def zone_of_pair(track: Track, owner: str, one: Side, other: Side, zone: str) -> ZonePair:
    """One zone of an owner and of a part that gives way to it, as heard, without a cut."""
    rows = zone_rows(zone, one.heard.shape[0])
    low, high = ZONE_EDGES_HZ[zone]
    edges = (low, min(high, HIGHEST_HZ))
    contest = contest_of_pair(track, owner, one, other, rows)
    clear = kick_clearance(one.heard[rows], other.heard[rows], contest)
    # Where the owner has next to nothing there is nothing of it to be heard.
    lives = one.before[rows].max(initial=0.0) > one.before.max(initial=0.0) * 10 ** (-OWN_DB / 10)
    if clear is None or not lives:
        return ZonePair(zone, *edges, None, PAIR_GOAL_DB, 0.0, 0.0, None, None)
    judged = contest.judged_bands
    cells = contest.active[judged]
    mine = np.where(cells, one.heard[rows][judged], 0.0).sum(axis=0)
    theirs = np.where(cells, other.heard[rows][judged], 0.0).sum(axis=0)
    active = mine > 0
    there = active & (theirs >= mine * 10 ** (-THERE_DB / 10))
    share = 100 * float(there.sum()) / max(1, int(active.sum()))
    worst = None
    if there.any():
        ratio = np.where(there, theirs / np.where(active, mine, 1.0), 0.0)
        worst = float(int(ratio.argmax()) * FRAME_S * track.sheet.bpm / 60)
    clear = min(clear, CLEAREST_DB)
    return ZonePair(zone, *edges, clear, PAIR_GOAL_DB, max(0.0, PAIR_GOAL_DB - clear), share, worst, None)


def cut_full(track: Track, part: str) -> str:
    """Why a part takes no further cut; empty where it does."""
    if part == BASS_PART:
        full = len(track.carve.moves) >= MOST_MOVES if track.carve.on else False
        return f"the carve on the bass holds {MOST_MOVES} moves already: remove one first" if full else ""
    if part == KICK_ID and track.kick_loop.plays and not track.kick_loop.processed:
        return "the kick comes as a loop and is played as recorded: hear it through its layers first"
    return bus_full(track, part)


def with_least_cut(track: Track, pair: tuple[str, str], one: Side, other: Side, found: ZonePair) -> ZonePair:
    """The zone with its least cut: one bell where the other part's energy lies, as deep as it takes when it is rendered."""
    rows = zone_rows(found.zone, one.heard.shape[0])
    owner, yielder = pair
    contest = contest_of_pair(track, owner, one, other, rows)
    judged = contest.judged_bands
    cells = contest.active[judged]
    mine = np.where(cells, one.heard[rows][judged], 0.0).sum()
    theirs = np.where(cells, other.heard[rows][judged], 0.0).sum(axis=1)
    centres = np.array([CENTRES_HZ[rows[row]] for row in judged])
    hz = float(np.exp((np.log(centres) * theirs).sum() / theirs.sum()))
    limits = limits_of(Equalizer, "q")
    width = found.to_hz - found.from_hz
    q = float(np.clip(hz / width, max(WIDEST_Q, limits.low if limits else WIDEST_Q), NARROWEST_Q))
    hz, q = round(hz, 1), round(q, 2)
    wanted, made = found.goal_db, track
    gain, reached, short = 0.0, found.clearance_db or 0.0, found.short_db
    for _ in range(ROUNDS):
        gain = _gain_for(wanted, float(mine), theirs, centres, hz, q, track.sheet.sample_rate)
        made = with_cut(track, yielder, Move(frequency_hz=hz, gain_db=gain, q=q))
        now = zone_of_pair(track, owner, one, Side(other.before, _frames(made, yielder, "heard")), found.zone)
        reached, short = reached if now.clearance_db is None else now.clearance_db, now.short_db
        over = reached - found.goal_db
        if abs(over) <= NEARLY_DB or (over < 0 and gain <= -DEEPEST_DB):
            break
        # What is rendered is not quite what the bands say: their middles stand for all that is in them.
        wanted -= over
    rate = track.sheet.sample_rate
    here, there = (loop_loudness(folded(render_stem(each, StemRef(yielder))), sample_rate=rate) for each in (track, made))
    return replace(found, cut=PairCut(hz, gain, q, reached, short, here - there))


def _gain_for(goal_db: float, mine: float, theirs: Samples, centres: Samples, hz: float, q: float, rate: int) -> float:
    """The gain of a bell, dB, by which some bands' energies come so far under another's; at most the deepest."""

    def clear(gain_db: float) -> float:
        level = np.abs(
            response(cookbook("bell", frequency_hz=hz, gain_db=gain_db, q=q, sample_rate=rate), centres, sample_rate=rate)
        )
        return float(10 * np.log10(mine / float((theirs * level**2).sum())))

    low, high = -DEEPEST_DB, 0.0
    if clear(low) <= goal_db:
        return low
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if clear(middle) >= goal_db else (low, middle)
    return round(max(-DEEPEST_DB, low - 0.005), 2)


def with_cut(track: Track, part: str, move: Move) -> Track:
    """The track with one more bell on a part: the bass's in its carve, a hit's on its bus; raises InvalidTrack if full."""
    if full := cut_full(track, part):
        raise InvalidTrack(full)
    if part == BASS_PART:
        # What stood in a carve that was off is not heard by this.
        moves = (*(track.carve.moves if track.carve.on else ()), move)
        return track.model_copy(update={"carve": track.carve.model_copy(update={"on": True, "moves": moves})})
    stage = Equalizer(shape="bell", frequency_hz=move.frequency_hz, gain_db=move.gain_db, q=move.q)
    return on_bus(track, part, (stage,))


def cut_of(track: Track, owner: str, yielder: str, zone: str) -> Move:
    """The least cut of a zone; raises InvalidTrack where there is none to make."""
    found = pair_figures(track, owner, yielder)
    one = next((one for one in found.zones if one.zone == zone), None)
    if one is None or one.cut is None:
        clear = f"{found.owner} is clear of {found.yielder} in {zone}: there is nothing to cut"
        raise InvalidTrack(found.reason or clear)
    return Move(frequency_hz=one.cut.frequency_hz, gain_db=one.cut.gain_db, q=one.cut.q)
