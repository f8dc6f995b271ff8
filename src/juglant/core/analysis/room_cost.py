"""What making room changed besides the clearance: balance, notes, loudness, how kick and bass add up (method: carving)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from juglant.core.analysis.evenness import spread_of, weighted_notes
from juglant.core.analysis.stem_bands import Whatever
from juglant.core.duck.part_curves import curves_of
from juglant.core.hit.render import folded
from juglant.core.loop.render import Stems, render_stem, stem_made_of
from juglant.core.measure.bands import CENTRES_HZ, LOW_BANDS_HZ, MIDDLE_BANDS_HZ, loop_band_energies
from juglant.core.measure.level import db, k_weighting, loop_loudness, weighted_loudness
from juglant.core.memory import remembered
from juglant.core.model.ids import BASS_PART
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.separate.filters import yielder
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

SILENT_PEAK = 1e-6
# A note that starts this close to a kick starts with it.
WITH_KICK_S = 0.006
# Where a kick has its punch (zones of the brief).
PUNCH_HZ = (56.0, 180.0)


@dataclass(frozen=True)
class NoteCost:
    """What one note of the line loses, LU, over its first 400 ms: by the carve (the floor filter too), and as heard."""

    note: int
    carved_lu: float
    heard_lu: float


@dataclass(frozen=True)
class RoomCost:
    """The yielder before and carved, un-ducked, and kick and bass together before and as heard.

    low_middle_db: change of low against middle; spread_lu: change of loudest less quietest note (None under two notes that
    sound, or of a kick); lost_lu: loudness that the carve takes; summing: rms of the sum re the sum of rms, 0 dB is
    perfect; peaks in dBFS; with_kick_lu, in_gaps_lu: mean loss as heard of notes that start with a kick, and of others;
    kick_lost_lu, kick_punch_db: by zones, loudness that the kick loses and how its bands from 56 to 180 Hz change.
    """

    low_middle_db: float | None
    spread_before_lu: float | None
    spread_after_lu: float | None
    lost_lu: float | None
    heard_lost_lu: float | None
    summing_before_db: float | None
    summing_after_db: float | None
    peak_before_db: float | None
    peak_after_db: float | None
    with_kick_lu: float | None
    in_gaps_lu: float | None
    kick_lost_lu: float | None
    kick_punch_db: float | None
    notes: tuple[NoteCost, ...]

    @property
    def spread_lu(self) -> float | None:
        """By how much the notes came apart, LU; minus is nearer to each other."""
        if self.spread_before_lu is None or self.spread_after_lu is None:
            return None
        return self.spread_after_lu - self.spread_before_lu


def low_middle_db(loop: Samples, *, sample_rate: int) -> float | None:
    """Level of the third octaves from 25 to 100 Hz re those from 126 to 251 Hz of a loop, (frames,); None of silence."""
    spans = [[c for c in CENTRES_HZ if low <= c <= high] for low, high in (LOW_BANDS_HZ, MIDDLE_BANDS_HZ)]
    every = loop_band_energies(loop, [*spans[0], *spans[1]], sample_rate=sample_rate)
    sums = [float(part.sum()) for part in np.split(every, [len(spans[0])])]
    return float(10 * np.log10(sums[0] / sums[1])) if min(sums) > 0 else None


@dataclass(frozen=True)
class _Stem:
    """One stem on its own: its loudness and that of each note, LUFS; None of silence."""

    lufs: float | None
    notes: tuple[float | None, ...]


@remembered()
def _measured(made_of: str, ref: StemRef, given: Whatever) -> _Stem:
    """The same, remembered by what the stem is made from: what no plan changes is measured once."""
    track, rate = given.track, given.track.sheet.sample_rate
    stem = folded(render_stem(track, ref))
    if _peak(stem) is None:
        return _Stem(None, (None,) * len(track.notes()))
    weighted = filter_loop(stem, k_weighting(rate), sample_rate=rate)
    notes = weighted_notes(track, weighted, sample_rate=rate) if ref.part == BASS_PART else []
    return _Stem(weighted_loudness(weighted, sample_rate=rate), tuple(notes))


@remembered()
def _balance(made_of: str, ref: StemRef, given: Whatever) -> float | None:
    """Low against middle of a stem, dB, remembered likewise; None of silence."""
    return low_middle_db(folded(render_stem(given.track, ref)), sample_rate=given.track.sheet.sample_rate)


def summing_db(kick: Samples, bass: Samples) -> float | None:
    """Level of the sum re the sum of levels, dB; None where either is silent."""
    one, other, both = (float(np.sqrt(np.mean(x**2))) for x in (kick, bass, kick + bass))
    return float(20 * np.log10(both / (one + other))) if min(one, other) > SILENT_PEAK and both > 0 else None


def _punch(loop: Samples, *, sample_rate: int) -> float:
    centres = [c for c in CENTRES_HZ if PUNCH_HZ[0] <= c < PUNCH_HZ[1]]
    return float(loop_band_energies(loop, centres, sample_rate=sample_rate).sum())


def _peak(audio: Samples) -> float | None:
    peak = float(np.max(np.abs(audio), initial=0.0))
    return db(peak) if peak > SILENT_PEAK else None


def _less(before: float | None, after: float | None) -> float | None:
    return None if before is None or after is None else before - after


def measure_room(track: Track, stems: Stems) -> RoomCost | None:
    """All of it from the rendered stems; None where the part that yields is silent."""
    rate, kick_yields = track.sheet.sample_rate, yielder(track.sheet.owner) == "kick"
    own = KICK if kick_yields else BASS
    refs = own.of("before"), own.of("unducked") if curves_of(track, own.part) else own, own
    if _peak(stems.kick_before if kick_yields else stems.bass_before) is None:
        return None
    notes: tuple[NoteCost, ...] = ()
    spreads: list[float | None] = [None, None]
    together: tuple[float | None, float | None] = (None, None)
    asked = [(stem_made_of(track, ref), ref, Whatever(track)) for ref in refs]
    each = [_measured(*one) for one in asked]
    if not kick_yields:
        levels = [list(one.notes) for one in each]
        spreads = [spread_of(levels[0]), spread_of(levels[1])]
        notes = _notes(track, levels)
        together = _by_the_kick(track, levels[0], levels[2])
    loud = [one.lufs for one in each]
    kicks_lufs: list[float | None] = [None, None]
    punch_db = None
    if track.sheet.owner == "zones" and stems.kick is not stems.kick_before and _peak(stems.kick) is not None:
        kicks_lufs = [loop_loudness(one, sample_rate=rate) for one in (stems.kick_before, stems.kick)]
        punch = [_punch(one, sample_rate=rate) for one in (stems.kick_before, stems.kick)]
        punch_db = float(10 * np.log10(punch[1] / punch[0])) if min(punch) > 0 else None
    return RoomCost(
        low_middle_db=_less(_balance(*asked[1]), _balance(*asked[0])),
        spread_before_lu=spreads[0],
        spread_after_lu=spreads[1],
        lost_lu=_less(loud[0], loud[1]),
        heard_lost_lu=_less(loud[0], loud[2]),
        summing_before_db=summing_db(stems.kick_before, stems.bass_before),
        summing_after_db=summing_db(stems.kick, stems.bass),
        peak_before_db=_peak(stems.kick_before + stems.bass_before),
        peak_after_db=_peak(stems.kick + stems.bass),
        with_kick_lu=together[0],
        in_gaps_lu=together[1],
        kick_lost_lu=_less(*kicks_lufs),
        kick_punch_db=punch_db,
        notes=notes,
    )


def _by_the_kick(track: Track, before: list[float | None], heard: list[float | None]) -> tuple[float | None, float | None]:
    """What notes lose on average that start with a kick, and those that do not, LU; None where there are none."""
    beat_s, loop = 60 / track.sheet.bpm, track.sheet.length_beats
    kicks = np.array(track.kicks())
    lost: tuple[list[float], list[float]] = ([], [])
    for note, one, other in zip(track.notes(), before, heard, strict=True):
        if one is not None and other is not None and kicks.size:
            away = np.abs((kicks - note.at_beats + loop / 2) % loop - loop / 2).min() * beat_s
            lost[0 if away < WITH_KICK_S else 1].append(one - other)
    with_kick, in_gaps = (float(np.mean(one)) if one else None for one in lost)
    return with_kick, in_gaps


def _notes(track: Track, levels: list[list[float | None]]) -> tuple[NoteCost, ...]:
    """By number of note, from low to high: the mean of what every one of it loses."""
    lost: dict[int, list[tuple[float, float]]] = {}
    for note, before, carved, heard in zip(track.notes(), *levels, strict=True):
        if before is not None and carved is not None and heard is not None:
            lost.setdefault(note.note, []).append((before - carved, before - heard))
    return tuple(NoteCost(number, *(float(x) for x in np.mean(each, axis=0))) for number, each in sorted(lost.items()))
