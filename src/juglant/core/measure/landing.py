"""Where a hit lands: its fundamental once the sweep is over, with a margin that is right (method: pitch).

1. High-pass, decimate to about 2 kHz.
2. Coarse period: normalised cross-correlation of short frames with their lagged selves, weighted towards the end.
3. Octave: the shortest lag that explains the hit as well as the best one, unless a lower partial stands alone (skins).
4. Around the strongest harmonic, the analytic signal; its phase fitted with constant + line + one exponential
   (+ slow drift in long hits), weighted by energy. The line is the landing, the exponential the sweep.
5. The margin: the fit's own covariance, the spread between fits that start at different times, and the noise.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy import fft

from juglant.core.measure.margin import margin_cents
from juglant.core.measure.period import coarse_period
from juglant.core.measure.phase_fit import BAND_SHARE, Fit, Partial, fit_phases, partial_around, weights_of
from juglant.core.measure.ridge import MOST_POINTS, SHORTEST_STEP_S, amplitude_of, follow_back
from juglant.core.measure.timing import HIGHEST_FLOOR_DB, onset_frame
from juglant.core.signal.decimate import decimate
from juglant.core.types import Samples, Spectrum

Verdict = Literal["firm", "uncertain", "none"]

WORK_RATE = 2000
LOWEST_HZ, HIGHEST_HZ = 24.0, 400.0
HIGH_PASS_HZ = 14.0
LONGEST_S = 6.0
PASS_SHARE = 0.75
# Harmonics whose phase is fitted, and sub-harmonics asked for when the coarse period may be a fraction of the true one.
HARMONICS = (1, 2, 3)
FRACTIONS = (2, 3)
# Less than this of a lower partial proves nothing: any stretch of phase is straight over one cycle.
STEADY_CYCLES = 3.0
# Starts of the fit after the sweep has come near, in periods.
STARTS = (0.0, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0)
QUICK_STARTS = (0.5, 2.0)
SHORTEST_PERIODS = 1.8
# Pitch this far from the partial (ratio) is still sweep: not fitted.
FARTHEST = 0.35
ALIVE = 0.02
# A fundamental known this well places its harmonics without a search.
SURE_CENTS = 3.0
# What it takes to believe in a pitch at all: this project's choice, set on made-up hits (docs/methods.md).
LEAST_PERIODICITY = 0.36
LEAST_CYCLES = 1.6
LEAST_LOW_SHARE = 0.35
# A lower partial is only looked for where the fundamental could be this low or higher.
LOWEST_COMMON_HZ = 32.0
# 5/6 with room for the band's pull; a skin's second mode would stand at 0.797.
FIFTH_OVER_SIXTH = (0.82, 0.86)
FIRM_CENTS = 15.0
# A margin wider than two thirds of an octave names no note.
WIDEST_CENTS = 800.0
WIDE_CENTS, LEAST_WIDE_PERIODICITY = 400.0, 0.5
# A drift term is believed where it leaves clearly less misfit and moves the note by this much.
DRIFT_CYCLES = 14.0
DRIFT_GAIN = 0.7
LEAST_DRIFT_CENTS = 1.0
DRIFT_MARGIN = 0.05
HEARD_RANGE_DB = 20.0
# Another harmonic is followed where it is this much louder and agrees on the note.
LOUDER, SAME_CENTS = 1.5, 60.0
# An odd harmonic at least this strong re the second speaks against the second being the fundamental.
STRONG = 0.5
TELLING_CENTS = 15.0
SAME_NOTE_CENTS = 150.0
SETTLED_RATIO = 2 ** (50 / 1200)
CENTS_PER_RATIO = 1200 / math.log(2)
FIRM_CONFIDENCE = 0.5
# Fewer cycles than this is at most uncertain (method).
FIRM_CYCLES = 4.0


@dataclass(frozen=True)
class PitchPath:
    """Pitch over time: seconds after the start of the audio, Hz, dB re the hit's peak; each (points,)."""

    time_s: Samples
    pitch_hz: Samples
    level_db: Samples


@dataclass(frozen=True)
class Landing:
    """The landing of one hit. Everything pitched is None where the verdict is none."""

    landing_hz: float | None
    heard_hz: float | None
    uncertainty_cents: float | None
    verdict: Verdict
    confidence: float
    cycles: float
    drift_cents_per_s: float | None
    sweep_semitones: float | None
    sweep_ms: float | None
    landed_ms: float | None
    path: PitchPath | None


def no_landing(confidence: float = 0.0, cycles: float = 0.0) -> Landing:
    """The honest refusal."""
    return Landing(None, None, None, "none", confidence, cycles, None, None, None, None, None)


def prepare(signal: Samples, *, sample_rate: int) -> tuple[Samples, float, int]:
    """The hit from its onset, high-passed and decimated: samples, their rate, and the onset frame at full rate."""
    onset = onset_frame(signal, sample_rate=sample_rate)
    factor = max(1, round(sample_rate / WORK_RATE))
    rate = sample_rate / factor
    slow = decimate(signal[onset : onset + round(LONGEST_S * sample_rate)], factor, pass_share=PASS_SHARE)
    length = fft.next_fast_len(slow.size + round(0.3 * rate), real=True)
    frequency = fft.rfftfreq(length, 1 / rate)
    # Removes the step that asymmetric saturation leaves; zero phase, so that nothing moves.
    gain = 1 / (1 + (HIGH_PASS_HZ / np.maximum(frequency, 1e-3)) ** 8)
    return fft.irfft(fft.rfft(slow, length) * gain, length)[: slow.size], rate, onset


@dataclass(frozen=True)
class _Candidate:
    """One harmonic's fits; `fit` is the one with the least formal error."""

    harmonic: int
    part: Partial
    fits: list[Fit]
    fit: Fit
    level: float

    @property
    def frequency_hz(self) -> float:
        return self.fit.frequency_hz / self.harmonic

    @property
    def error_cents(self) -> float:
        return 1200 / math.log(2) * self.fit.error_hz / self.fit.frequency_hz


def _fit_harmonic(
    spectrum: Spectrum, base_hz: float, harmonic: int, *, rate: float, frames: int, noise: float, sure: bool = False
) -> _Candidate | None:
    """Fit one harmonic twice, the second time centred on what the first found; once where the base is sure."""
    width = BAND_SHARE * base_hz
    noise_amplitude = math.sqrt(noise * 2 * width * 1.8 / (rate / 2))
    centre, candidate = harmonic * base_hz, None
    for starts in (STARTS,) if sure else (QUICK_STARTS, STARTS):
        part = partial_around(spectrum, centre, rate=rate, frames=frames, width_hz=width)
        weight = weights_of(part, noise_amplitude)
        alive = np.flatnonzero(weight > ALIVE)
        if alive.size < 8:
            return None
        first, last = int(alive[0]), int(alive[-1]) + 1
        # Central differences: frequency against the partial's, as a ratio.
        bend = (part.phase[2:last] - part.phase[: last - 2]) / (4 * np.pi * part.step_s * centre)
        far = 1 + np.flatnonzero(np.abs(bend) > FARTHEST / math.sqrt(harmonic))
        far = far[far < first + 0.7 * (last - first)]
        period = 1 / base_hz
        begin = max(first, int(far[-1]) + 1 if far.size else 0, math.ceil(0.25 * period / part.step_s))
        places = [begin + round(wait * period / part.step_s) for wait in starts]
        long_enough = [place for place in places if (last - place) * part.step_s >= SHORTEST_PERIODS * period]
        tried = fit_phases(part, weight, starts=long_enough or places[:1], last=last, drift=False)
        fits = [fit for fit in tried if fit is not None and abs(fit.frequency_hz / centre - 1) < 0.5]
        if not fits:
            return None
        best = min(fits, key=lambda fit: fit.error_hz)
        level = float(np.sqrt(np.mean(part.amplitude[begin:last] ** 2)))
        candidate = _Candidate(harmonic, part, fits, best, level)
        if abs(best.frequency_hz / centre - 1) < 0.2:
            centre = best.frequency_hz
    return candidate


def _candidates(spectrum: Spectrum, base_hz: float, *, rate: float, frames: int, noise: float) -> list[_Candidate]:
    """Fits of the fundamental and its first harmonics that agree with each other."""
    found: list[_Candidate] = []
    for harmonic in HARMONICS:
        if harmonic * base_hz > 0.42 * rate:
            break
        sure = bool(found) and found[0].error_cents < SURE_CENTS
        centre = found[0].frequency_hz if sure else base_hz
        one = _fit_harmonic(spectrum, centre, harmonic, rate=rate, frames=frames, noise=noise, sure=sure)
        if one is not None:
            found.append(one)
    return found


def _choose(found: list[_Candidate]) -> _Candidate:
    """The harmonic with the least error, unless it disagrees with a clear fundamental (a skin's partial)."""
    best = min(found, key=lambda one: one.error_cents)
    ground = found[0]
    if best.harmonic == 2 and not any(one is not best and _supports(one, best) for one in found):
        # Nothing at the odd multiples: what looks like a second harmonic is the fundamental.
        return replace(best, harmonic=1)
    if best.harmonic == 1 or ground.harmonic > 1:
        return best
    loudest = max(one.level for one in found)
    sure = ground.level > 0.2 * loudest and ground.error_cents < max(5.0, 3 * best.error_cents)
    return ground if sure and _apart(best, ground) > 6 * (best.error_cents + ground.error_cents) + 15 else best


def _supports(one: _Candidate, best: _Candidate) -> bool:
    """Whether another harmonic speaks for the same fundamental: by agreeing, or by being strong and near."""
    apart = _apart(one, best)
    # What is known only vaguely agrees with everything and speaks for nothing.
    agrees = one.error_cents < TELLING_CENTS and apart < 5 * (one.error_cents + best.error_cents) + 10
    return agrees or (one.level > STRONG * best.level and apart < SAME_CENTS)


def _is_third(found: list[_Candidate]) -> bool:
    """Whether the fits are of a third harmonic: near its second multiple stands 5/3 instead (skins have 1.593)."""
    ratios = [one.frequency_hz / found[0].frequency_hz for one in found if one.harmonic == 2 and one.error_cents < 60]
    return bool(ratios) and found[0].harmonic == 1 and FIFTH_OVER_SIXTH[0] < ratios[0] < FIFTH_OVER_SIXTH[1]


def _steady(one: _Candidate, expected_hz: float) -> bool:
    """Whether a weak partial is where it should be, within what its own error allows."""
    apart = abs(1200 * math.log2(one.frequency_hz / expected_hz))
    return one.error_cents < 40 and one.fit.residual < 0.1 and apart < 20 + 4 * one.error_cents


def _apart(one: _Candidate, other: _Candidate) -> float:
    """Distance of two candidates' fundamentals in cents."""
    return abs(1200 * math.log2(one.frequency_hz / other.frequency_hz))


def _below(spectrum: Spectrum, base_hz: float, *, rate: float, frames: int, noise: float) -> float:
    """The true fundamental where the coarse period is a fraction of it: a steady partial exactly at f / 2 or f / 3.

    Only a partial whose own phase is steady, at the very frequency, is believed; a sweep or noise is neither.
    """
    top = _fit_harmonic(spectrum, base_hz, 1, rate=rate, frames=frames, noise=noise)
    if top is None:
        return base_hz
    for fraction in FRACTIONS:
        lower = top.fit.frequency_hz / fraction
        if lower < LOWEST_COMMON_HZ:
            continue
        ground = _fit_harmonic(spectrum, lower, 1, rate=rate, frames=frames, noise=noise)
        if ground is None or ground.level < 0.01 * top.level:
            continue
        apart = abs(1200 * math.log2(ground.fit.frequency_hz / lower))
        if ground.fit.residual < 0.05 and ground.error_cents < 5 and apart < 10 and ground.fit.cycles > STEADY_CYCLES:
            return lower
        if fraction == 3 and ground.level > 0.02 * top.level:
            # Odd harmonics alone: the fifth of the lower note is steady, where a skin has nothing (1.593, not 1.667).
            fifth = _fit_harmonic(spectrum, lower, 5, rate=rate, frames=frames, noise=noise)
            if fifth is not None and fifth.level > 0.15 * top.level and fifth.fit.residual < 0.15:
                if abs(1200 * math.log2(fifth.frequency_hz / lower)) < min(45, 15 + 3 * fifth.error_cents):
                    return lower
    return base_hz


def _noise_floor(x: Samples, rate: float) -> float:
    """Mean square of the floor the decimated hit ends in: median of its quietest sixth of 20 ms frames."""
    frame = round(0.02 * rate)
    count = x.size // frame
    if count < 6:
        return 0.0
    power = np.sort(np.mean(x[: count * frame].reshape(count, frame) ** 2, axis=1))
    power = power[power > 0]
    floor = float(np.median(power[: max(1, count // 6)])) if power.size else 0.0
    return floor if floor <= float(power.max(initial=0.0)) * 10 ** (HIGHEST_FLOOR_DB / 10) else 0.0


def _low_share(x: Samples, rate: float, signal: Samples, onset: int, sample_rate: int) -> float:
    """Share of the energy that lies in the decimated band, while that band is within 20 dB of its peak."""
    slow = round(0.02 * rate)
    fast = round(slow * sample_rate / rate)
    count = min(x.size // slow, (signal.size - onset) // fast)
    if count < 1:
        return 1.0
    low = np.sum(x[: count * slow].reshape(count, slow) ** 2, axis=1) * (fast / slow)
    whole = np.sum(signal[onset : onset + count * fast].reshape(count, fast) ** 2, axis=1)
    loud = low > 0.01 * low.max()
    return float(low[loud].sum() / max(whole[loud].sum(), 1e-30))


def _settled_fit(chosen: _Candidate) -> tuple[Fit, float]:
    """The fit to trust, and the slow drift in cents per second: with a drift term only where it explains much more."""
    fit, part = chosen.fit, chosen.part
    if fit.cycles / chosen.harmonic < DRIFT_CYCLES:
        return fit, 0.0
    last = part.phase.size
    weight = weights_of(part, 0.0)
    alive = np.flatnonzero(weight > ALIVE)
    first, last = last - round(fit.cycles / part.frequency_hz / part.step_s) - 1, int(alive[-1]) + 1
    slow = fit_phases(part, weight, starts=[max(first, int(alive[0]))], last=last, drift=True)[0]
    if slow is None:
        return fit, 0.0
    drift = CENTS_PER_RATIO * slow.drift_hz_per_s / fit.frequency_hz
    span_s = slow.cycles / part.frequency_hz
    if slow.residual < DRIFT_GAIN * fit.residual and abs(drift) * span_s > LEAST_DRIFT_CENTS:
        return slow, drift
    return fit, 0.0


def _conclude(
    chosen: _Candidate,
    found: list[_Candidate],
    periodicity: float,
    share: float,
    x: Samples,
    onset_s: float,
    *,
    rate: float,
) -> Landing:
    """Everything that follows from the chosen fit: margin, path, sweep, cycles, verdict."""
    fit, drift = _settled_fit(chosen)
    landing = fit.frequency_hz / chosen.harmonic
    near = [one for one in chosen.fits if one.error_hz < 3 * chosen.fit.error_hz + 1e-12]
    cents = [CENTS_PER_RATIO * math.log(one.frequency_hz / chosen.fit.frequency_hz) for one in near]
    others = sorted((one for one in found if one is not chosen), key=lambda one: one.error_cents)
    telling = [one for one in others[:1] if one.error_cents < 8 * chosen.error_cents + 4]
    margin = margin_cents(
        formal_cents=chosen.error_cents,
        spread_cents=float(np.std(cents)) if len(cents) > 1 else None,
        disagree_cents=_apart(chosen, telling[0]) if telling else None,
        misfit=chosen.fit.residual,
        periodicity=periodicity,
    ) + DRIFT_MARGIN * abs(drift)
    # The path follows the partial that is heard, which need not be the one whose phase is steadiest.
    loudest = max(found, key=lambda one: one.level)
    followed = loudest if loudest.level > LOUDER * chosen.level and _apart(loudest, chosen) < SAME_CENTS else chosen
    path, landed_s, cycles = _path(x, landing, followed.harmonic, rate=rate)
    vague = margin > WIDEST_CENTS or (margin > WIDE_CENTS and periodicity < LEAST_WIDE_PERIODICITY)
    if cycles < LEAST_CYCLES or vague or (landing < LOWEST_COMMON_HZ and periodicity < 0.5):
        return no_landing(0.3 * periodicity, cycles)
    clear = min(1.0, periodicity / 0.9) * min(1.0, share / 0.8)
    confidence = clear * (1 / (1 + margin / 40)) * min(1.0, cycles / FIRM_CYCLES)
    firm = cycles >= FIRM_CYCLES and margin <= FIRM_CENTS and confidence >= FIRM_CONFIDENCE
    early = path.level_db > path.level_db.max() - HEARD_RANGE_DB
    energy = 10 ** (path.level_db[early] / 10)
    heard = 2 ** float(np.sum(energy * np.log2(path.pitch_hz[early])) / energy.sum())
    above = max(0.0, 12 * math.log2(float(path.pitch_hz[early][0]) / landing))
    return Landing(
        landing_hz=landing,
        heard_hz=heard,
        uncertainty_cents=margin,
        verdict="firm" if firm else "uncertain",
        confidence=confidence,
        cycles=cycles,
        drift_cents_per_s=drift,
        sweep_semitones=above,
        sweep_ms=landed_s * 1000,
        landed_ms=(onset_s + landed_s) * 1000,
        path=PitchPath(path.time_s + onset_s, path.pitch_hz, path.level_db),
    )


def _path(x: Samples, landing_hz: float, harmonic: int, *, rate: float) -> tuple[PitchPath, float, float]:
    """Pitch path from the onset, the time after it at which the sweep is over, and the cycles of the tail."""
    step = max(SHORTEST_STEP_S, x.size / rate / MOST_POINTS)
    times = np.arange(0.25 / landing_hz, x.size / rate, step)
    if times.size < 2:
        times = np.array([0.0, x.size / rate])
    rest = amplitude_of(x, harmonic * landing_hz, times, rate=rate)
    loud = np.flatnonzero(rest > 0.1 * rest.max())
    turn = min(times.size - 1, int(np.argmax(rest)) + 1)
    swept, pitch, level = follow_back(x, harmonic * landing_hz, float(times[turn]), rate=rate)
    late = times > swept[-1]
    after = times[late & (np.arange(times.size) <= loud[-1] + 1)]
    steady, amount = np.full(after.size, landing_hz), rest[late & (np.arange(times.size) <= loud[-1] + 1)]
    all_pitch = np.concatenate((pitch / harmonic, steady))
    all_level = np.concatenate((level, amount))
    all_times = np.concatenate((swept, after))
    level_db = 20 * np.log10(np.maximum(all_level / max(float(all_level.max()), 1e-12), 1e-5))
    away = np.flatnonzero(all_pitch > landing_hz * SETTLED_RATIO)
    landed = float(all_times[min(int(away[-1]) + 1, all_times.size - 1)]) if away.size else 0.0
    tail = rest[times >= landed]
    heard = np.flatnonzero(tail > 0.1 * tail.max()) if tail.size else np.array([0])
    cycles = float(heard[-1] + 1) * step * landing_hz if heard.size else 0.0
    return PitchPath(all_times, all_pitch, level_db), landed, cycles


def measure_landing(signal: Samples, *, sample_rate: int) -> Landing:
    """Measure where a hit, (frames,), lands. See the module's docstring."""
    if signal.size < 0.02 * sample_rate or not np.any(signal):
        return no_landing()
    x, rate, onset = prepare(signal, sample_rate=sample_rate)
    noise = _noise_floor(x, rate)
    period = coarse_period(x, rate=round(rate), lowest_hz=LOWEST_HZ, highest_hz=HIGHEST_HZ, noise=noise)
    if period is None or period.periodicity < LEAST_PERIODICITY:
        return no_landing(0.0 if period is None else 0.5 * period.periodicity)
    share = _low_share(x, rate, signal, onset, sample_rate)
    if share < LEAST_LOW_SHARE:
        return no_landing(0.5 * share)
    spectrum = fft.rfft(x, 2 * fft.next_fast_len((x.size + round(0.2 * rate)) // 2 + 1))
    base = period.frequency_hz
    if base > 2 * LOWEST_COMMON_HZ:
        base = _below(spectrum, base, rate=rate, frames=x.size, noise=noise)
    found = _candidates(spectrum, base, rate=rate, frames=x.size, noise=noise)
    if base > 3 * LOWEST_COMMON_HZ and _is_third(found):
        lower = _candidates(spectrum, base / 3, rate=rate, frames=x.size, noise=noise)
        if (
            lower
            and lower[0].harmonic == 1
            and lower[0].level > 0.02 * found[0].level
            and _steady(lower[0], found[0].frequency_hz / 3)
        ):
            found = lower
    if not found:
        return no_landing(0.2)
    chosen = _choose(found)
    # Once more around what was found: bands centred on the partials, and as wide as the fundamental allows.
    again = _candidates(spectrum, chosen.frequency_hz, rate=rate, frames=x.size, noise=noise)
    if again:
        better = _choose(again)
        if _apart(better, chosen) < SAME_NOTE_CENTS:
            found, chosen = again, better
    return _conclude(chosen, found, period.periodicity, share, x, onset / sample_rate, rate=rate)
