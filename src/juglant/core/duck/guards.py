"""What a duck may do wrong, each measured on the rendered target (method: ducking, guards)."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy
from scipy import fft

from juglant.core.duck.curve import GainRows, ends_s, hold_end_s, starts_s, stroke_db
from juglant.core.duck.part_curves import curves_of, first_curve, starts_beats
from juglant.core.duck.strokes import Activity
from juglant.core.measure.level import k_weighting
from juglant.core.model.duck import Duck
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.music.tempo import BEATS_PER_BAR, frame_at
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

LOW_PASS_HZ, CLICK_HZ = 200.0, 1000.0
CONTEXT_S, BENT_RATE = 1.0, 8000
RISE_S = 0.02
# A bar this much under the mean of the loop holds nothing that could jump.
SILENT_BAR = 1e-4


@dataclass(frozen=True)
class LateNote:
    """A kept note at which the bass is not back."""

    at_beats: float
    down_db: float


@dataclass(frozen=True)
class Guards:
    """Figures of the guards; None where the duck is off or the target silent."""

    start_click_db: float | None
    low_note_distortion_db: float | None
    late_notes: tuple[LateNote, ...]
    pile_up_db: float | None
    pumping_db: float
    level_jump_lu: float | None
    bar_losses_lu: tuple[float | None, ...]
    make_up_lift_db: float | None = None


@dataclass(frozen=True)
class Plain:
    """What the guards ask of a part without its ducks: it stays while only the ducks, or their keys, change.

    lows: below 200 Hz, (frames,); clicks: energy of those above 1 kHz; heard: K-weighted power, (frames,).
    """

    lows: Samples
    clicks: float
    heard: Samples


def plain_of(unducked: Samples, *, sample_rate: int) -> Plain:
    """A part's own sound, (frames,), as the guards ask for it."""
    low_pass = scipy.signal.butter(4, LOW_PASS_HZ, "lowpass", fs=sample_rate, output="sos")
    lows = filter_loop(unducked, low_pass, sample_rate=sample_rate)
    heard = filter_loop(unducked, k_weighting(sample_rate), sample_rate=sample_rate) ** 2
    return Plain(lows, _above_click(lows, sample_rate), heard)


def _above_click(sound: Samples, sample_rate: int) -> float:
    high = scipy.signal.butter(8, CLICK_HZ, "highpass", fs=sample_rate, output="sos")
    return float(np.sum(filter_loop(sound, high, sample_rate=sample_rate) ** 2))


def start_click_db(plain: Plain, gain: Samples, *, sample_rate: int) -> float | None:
    """Energy above 1 kHz that the curve adds to the low bass, re the low bass, dB."""
    total = float(np.sum(plain.lows**2))
    if total <= 0:
        return None
    added = _above_click(plain.lows * gain, sample_rate) - plain.clicks
    return float(10 * np.log10(max(added, 1e-20 * total) / total))


def low_note_distortion_db(duck: Duck, note_hz: float) -> float:
    """Share of energy above twice the note of a sine at the note times the return of the curve, dB."""
    start, end = hold_end_s(duck), ends_s(duck)
    time = np.arange(start, end, 1 / BENT_RATE)
    return bent_db(time - start, stroke_db(duck, time), note_hz)


def bent_db(time_s: Samples, gain_db: Samples, note_hz: float) -> float:
    """The same of any return: gain in dB at times from 0 on, both (points,).

    The sine runs on at both ends under a Hann fade, so that only the return is judged.
    """
    rate = BENT_RATE
    back = float(time_s[-1]) if time_s.size else 0.0
    time = np.arange(round((back + 2 * CONTEXT_S) * rate)) / rate
    gain = 10 ** (np.interp(time - CONTEXT_S, time_s, gain_db) / 20) if time_s.size else np.ones(time.size)
    tone = np.sin(2 * np.pi * note_hz * time) * gain
    edge = round(0.9 * CONTEXT_S * rate)
    fade = 0.5 - 0.5 * np.cos(np.pi * np.arange(edge) / edge)
    tone[:edge] *= fade
    tone[-edge:] *= fade[::-1]
    power = np.abs(fft.rfft(tone)) ** 2
    high = fft.rfftfreq(tone.size, 1 / rate) > 2 * note_hz
    return float(10 * np.log10(max(float(power[high].sum() / power.sum()), 1e-20)))


def _driven_return_db(rows: GainRows, one: Activity, note_hz: float) -> float:
    """The same of a compressor's return after one key: from where it is lowest to the next."""
    since = np.arange(0.0, one.next_hit_s - one.hit_s, 1 / BENT_RATE)
    gain = np.interp((one.hit_s + since) % float(rows.at_s[-1]), rows.at_s, rows.gain_db)
    first = int(gain.argmin())
    return bent_db(since[first:] - since[first], gain[first:], note_hz)


def gain_at(rows: GainRows, time_s: float) -> float:
    """Gain in dB at a time inside the loop."""
    return float(np.interp(time_s % float(rows.at_s[-1]), rows.at_s, rows.gain_db))


def _back_before(rows: GainRows, time_s: float) -> float:
    """The most a gain comes back to shortly before a fall, dB: a compressor hears a kick's rise before its hit."""
    return max(gain_at(rows, time_s - back) for back in np.linspace(0.0, RISE_S, 11).tolist())


def late_notes(
    track: Track, rows: GainRows, plan: list[Activity], duck: Duck, limit_db: float, part: str = BASS_PART
) -> tuple[LateNote, ...]:
    """Kept notes (starting after a key's active part, before the next fall) at which the part is still down."""
    beat_s = 60 / track.sheet.bpm
    loop_s = track.sheet.length_beats * beat_s
    ahead = max(0.0, -starts_s(duck))
    found = []
    for at_beats in starts_beats(track, part):
        at = at_beats * beat_s
        for one in plan:
            since = (at - one.hit_s) % loop_s
            if one.end_s - 1e-6 <= since < one.next_hit_s - one.hit_s - ahead:
                down = -gain_at(rows, at)
                if down > limit_db:
                    found.append(LateNote(at_beats, down))
    return tuple(found)


def bar_losses_lu(track: Track, energy: Samples, gain: Samples) -> tuple[float | None, ...]:
    """What the gain takes of a part's K-weighted power, (frames,), in each bar, LU, not over 0; None in silent bars."""
    sheet = track.sheet
    edges = [frame_at(bar * BEATS_PER_BAR, sheet.bpm, sheet.sample_rate) for bar in range(sheet.bars + 1)]
    loudest = float(energy.mean()) * SILENT_BAR
    out: list[float | None] = []
    for first, last in pairwise(edges):
        whole = float(energy[first:last].sum())
        left = float((energy[first:last] * gain[first:last] ** 2).sum())
        heard = whole > loudest * (last - first) and whole > 0
        out.append(10 * float(np.log10(max(left / whole, 1e-12))) if heard else None)
    return tuple(out)


def level_jump_lu(losses: tuple[float | None, ...]) -> float | None:
    """The most less the least of what is taken from bar to bar, LU; None where no bar sounds."""
    heard = [one for one in losses if one is not None]
    return max(heard) - min(heard) if heard else None


def measure_guards(
    track: Track,
    plain: Plain,
    gain: Samples,
    rows: GainRows,
    plan: list[Activity],
    *,
    part: str = BASS_PART,
    lowest_hz: float | None = None,
) -> Guards:
    """Every guard of a part's curves, the first of which decides the times; gain: factor at every sample, (frames,)."""
    duck, rate = first_curve(track, part), track.sheet.sample_rate
    curves = curves_of(track, part)
    if not curves or not plan:
        return Guards(None, None, (), None, 0.0, None, ())
    tightest = min(plan, key=lambda one: one.recovery_s)
    distortion = None
    if lowest_hz is not None:
        distortion = max(
            _driven_return_db(rows, tightest, lowest_hz)
            if one.drive == "compressor"
            else low_note_distortion_db(one, lowest_hz)
            for one in curves
        )
    made_up = any(one.drive == "compressor" and one.compressor.make_up != "off" for one in curves)
    before = [-_back_before(rows, one.next_hit_s + starts_s(duck) - 1e-4) for one in plan]
    losses = bar_losses_lu(track, plain.heard, gain)
    return Guards(
        start_click_db=start_click_db(plain, gain, sample_rate=rate),
        low_note_distortion_db=distortion,
        late_notes=late_notes(track, rows, plan, duck, track.limits.not_back_db, part),
        pile_up_db=max(before),
        pumping_db=float(rows.gain_db.max() - rows.gain_db.min()),
        level_jump_lu=level_jump_lu(losses),
        bar_losses_lu=losses,
        make_up_lift_db=between_keys_lu(track, plain.heard, gain, plan, duck) if made_up else None,
    )


def between_keys_lu(track: Track, energy: Samples, gain: Samples, plan: list[Activity], duck: Duck) -> float | None:
    """How much louder a part is by its gain between its recovery points and the next falls, LU; None where it is silent."""
    rate = track.sheet.sample_rate
    between = np.zeros(energy.size, dtype=bool)
    for one in plan:
        first, last = (round(at * rate) for at in (one.hit_s + one.recovery_s, one.next_hit_s + min(0.0, starts_s(duck))))
        between[np.arange(first, last) % energy.size] = True
    whole = float(energy[between].sum())
    if whole <= SILENT_BAR * float(energy.mean()) * max(1, int(between.sum())):
        return None
    return float(10 * np.log10(max(float((energy[between] * gain[between] ** 2).sum()) / whole, 1e-12)))
