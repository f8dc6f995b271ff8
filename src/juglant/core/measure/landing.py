"""Where a hit lands: its fundamental once the sweep is over, with a margin that is right (method: pitch).

1. High-pass, decimate to about 2 kHz.
2. Coarse period: normalised cross-correlation of short frames with their lagged selves, weighted towards the end.
3. Octave: the shortest lag that explains the hit as well as the best one, unless a lower partial stands alone (skins).
4. Around the strongest harmonic, the analytic signal; its phase fitted with constant + line + one exponential
   (+ slow drift in long hits), weighted by energy. The line is the landing, the exponential the sweep.
5. Where that leaves doubt: all harmonics once more along the sweep, and the landing all fits agree on (consensus).
6. The margin: the fit's own covariance, the spread between fits that start at different times, and the noise.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from scipy import fft

from juglant.core.measure.consensus import agreed_landing
from juglant.core.measure.drift import SETTLED_RATIO, drifting_hz
from juglant.core.measure.fall import still_falling, sweep_of
from juglant.core.measure.margin import drifting_margin_cents, margin_cents
from juglant.core.measure.partials import (
    COMB_WIDTH,
    LOWEST_COMMON_HZ,
    SAME_CENTS,
    Candidate,
    apart,
    below,
    candidates,
    choose,
    comb,
    is_third,
    lower_note,
    octave_up,
    steady,
    stretch,
)
from juglant.core.measure.period import coarse_period
from juglant.core.measure.phase_fit import CENTS_PER_RATIO, Fit, fit_phases, weights_of
from juglant.core.measure.pitched import Signs, answer_probability
from juglant.core.measure.ridge import MOST_POINTS, SHORTEST_STEP_S, amplitude_along, amplitude_of, follow_back
from juglant.core.measure.rough import lies_in, rough_pitch
from juglant.core.measure.timing import HIGHEST_FLOOR_DB, onset_frame
from juglant.core.signal.decimate import decimate
from juglant.core.signal.frames import frame_powers, quiet_floor
from juglant.core.types import Samples, Spectrum

Verdict = Literal["firm", "uncertain", "none"]

WORK_RATE = 2000
HIGH_NOTE_HZ, WIDE_RATE = 130.0, 8000
LOWEST_HZ, HIGHEST_HZ = 24.0, 400.0
HIGH_PASS_HZ = 14.0
LONGEST_S = 6.0
PASS_SHARE = 0.75
# How likely an answer must be right to be given: this project's choice, set on made-up hits (docs/methods.md).
LEAST_PROBABILITY = 0.37
# Without this much of either nothing further is asked.
LEAST_PERIODICITY, LEAST_LOW_SHARE = 0.12, 0.2
FIRM_CENTS = 15.0
# A margin of more than an octave is never said: the note could then be any.
MOST_SAID_CENTS = 1200.0
# A drift term is believed where it leaves clearly less misfit and moves the note by this much.
DRIFT_CYCLES = 14.0
UNKNOWN_DRIFT_CENTS = 50.0
DRIFT_GAIN = 0.7
LEAST_DRIFT_CENTS = 1.0
HEARD_RANGE_DB = 20.0
# Another harmonic is followed where it is this much louder and agrees on the note.
LOUDER = 1.5
SAME_NOTE_CENTS = 150.0
# Another harmonic tells of the landing where its fit is at least this share as long.
TELLING_SPAN = 0.4
# A partial fainter than this re the trusted one that is not at its place says nothing of it.
FAINT_RATIO = 0.05
# A fit as clear as this is not improved by another.
CLEAR_CENTS = 0.3
FIRM_CONFIDENCE = 0.5
# Where nothing settles a low hit is still said to lie somewhere: up to this period. Nobody should lean on it.
ABOUT_HIGHEST_HZ = 120.0
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
    """The landing of one hit. Everything pitched is None where the verdict is none.

    about_hz, about_cents: around where its low energy lies and half how wide, which is no pitch but somewhere to begin by
    ear, for a low hit without a landing; also_hz: a lower note whose own partials are heard as well, an octave or a twelfth
    down; such a hit is never firm.
    """

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
    about_hz: float | None = None
    about_cents: float | None = None
    also_hz: float | None = None

    @property
    def firm_hz(self) -> float | None:
        """The landing where it may be leaned on, else None."""
        return self.landing_hz if self.verdict == "firm" else None


def no_landing(confidence: float = 0.0, about: tuple[float | None, float | None] = (None, None)) -> Landing:
    """The honest refusal; about: middle in Hz and half width in cents of where its low energy lies."""
    return Landing(None, None, None, "none", confidence, 0.0, None, None, None, None, None, *about)


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


def _noise_floor(x: Samples, rate: float) -> float:
    """Mean square of the floor the decimated hit ends in: median of its quietest sixth of 20 ms frames."""
    frame = round(0.02 * rate)
    if x.size < 6 * frame:
        return 0.0
    return quiet_floor(frame_powers(x, frame), share=6, highest_db=HIGHEST_FLOOR_DB)


def _low_share(x: Samples, rate: float, signal: Samples, onset: int, sample_rate: int) -> float:
    """Share of the energy that lies in the decimated band, while that band is within 20 dB of its peak."""
    slow = round(0.02 * rate)
    fast = round(slow * sample_rate / rate)
    count = min(x.size // slow, (signal.size - onset) // fast)
    if count < 1:
        return 1.0
    low, whole = frame_powers(x, slow, count), frame_powers(signal[onset:], fast, count)
    loud = low > 0.01 * low.max()
    return float(low[loud].sum() / max(whole[loud].sum(), 1e-30))


def _sounding_s(x: Samples, rate: float) -> float:
    """How long the decimated hit is within 20 dB of its peak, s; at least one frame of 20 ms."""
    frame = round(0.02 * rate)
    powers = frame_powers(x, frame)
    loud = np.flatnonzero(powers > 0.01 * powers.max(initial=0.0))
    return float(loud[-1] + 1 if loud.size else 1) * frame / rate


def _settled_fit(chosen: Candidate) -> tuple[Fit, float]:
    """The fit to trust, and the slow drift in cents per second: with a drift term only where it explains much more."""
    fit, part = chosen.fit, chosen.part
    if fit.cycles / chosen.harmonic < DRIFT_CYCLES:
        return fit, 0.0
    weight = weights_of(part, 0.0)
    begin, end = stretch(chosen)
    first, last = round(begin / part.step_s), round(end / part.step_s) + 1
    slow = fit_phases(part, weight, starts=[first], last=last, drift=True)[0]
    if slow is None:
        return fit, 0.0
    drift = CENTS_PER_RATIO * slow.drift_hz_per_s / fit.frequency_hz
    span_s = slow.cycles / part.frequency_hz
    if slow.residual < DRIFT_GAIN * fit.residual and abs(drift) * span_s > LEAST_DRIFT_CENTS:
        return slow._replace(frequency_hz=drifting_hz(part, min(chosen.fits, key=lambda one: one.start_s), last)), drift
    return fit, 0.0


Telling = tuple[float, float | None, float | None, float]


def _telling(chosen: Candidate, found: list[Candidate]) -> Telling:
    """What the fits say of their own error: formal, spread, disagreement of the best two harmonics (cents), misfit."""
    near = [one for one in chosen.fits if one.error_hz < 3 * chosen.fit.error_hz + 1e-12]
    cents = [CENTS_PER_RATIO * math.log(one.frequency_hz / chosen.fit.frequency_hz) for one in near]
    others = sorted((one for one in found if one is not chosen), key=lambda one: one.error_cents)
    # A harmonic known over a much shorter stretch speaks of another moment, a faint one elsewhere is another mode.
    others = [one for one in others if _span_s(one) > TELLING_SPAN * _span_s(chosen) and not _stray(one, chosen)]
    telling = [one for one in others[:1] if one.error_cents < 8 * chosen.error_cents + 4]
    spread = float(np.std(cents)) if len(cents) > 1 else None
    return chosen.error_cents, spread, apart(chosen, telling[0]) if telling else None, chosen.fit.residual


def _margin(chosen: Candidate, telling: Telling | None, periodicity: float, drift: float) -> float:
    """95 % half-width of the landing's error in cents, from the fits; telling: None for a note that drifts."""
    if telling is None:
        return drifting_margin_cents(
            formal_cents=chosen.error_cents,
            drift_cents_per_s=drift,
            misfit=chosen.fit.residual,
            cycles=chosen.fit.cycles / chosen.harmonic,
            periodicity=periodicity,
        )
    formal, spread, disagree, misfit = telling
    return margin_cents(
        formal_cents=formal, spread_cents=spread, disagree_cents=disagree, misfit=misfit, periodicity=periodicity
    )


def _stray(one: Candidate, chosen: Candidate) -> bool:
    """Whether what was fitted as another harmonic is a faint partial of something else."""
    return one.level < FAINT_RATIO * chosen.level and apart(one, chosen) > SAME_CENTS


def _span_s(one: Candidate) -> float:
    """How long the fit of a harmonic is, s."""
    begin, end = stretch(one)
    return end - begin


def _power(signal: Samples, begin_s: float, end_s: float, rate: float) -> float:
    """Mean square of a stretch."""
    part = signal[round(begin_s * rate) : round(end_s * rate) + 1]
    return float(np.mean(part**2)) if part.size else 0.0


def _conclude(
    chosen: Candidate,
    found: list[Candidate],
    landing: float,
    drift: float,
    margin: float,
    probability: float,
    x: Samples,
    onset_s: float,
    *,
    rate: float,
) -> Landing:
    """Everything that follows from the landing in Hz and the fit it rests on: path, sweep, cycles, verdict."""
    # The path follows the partial that is heard, which need not be the one whose phase is steadiest.
    loudest = max(found, key=lambda one: one.level)
    followed = loudest if loudest.level > LOUDER * chosen.level and apart(loudest, chosen) < SAME_CENTS else chosen
    path, landed_s, cycles = _path(x, landing, followed.harmonic, rate=rate)
    confidence = probability * (1 / (1 + margin / 40)) * min(1.0, cycles / FIRM_CYCLES)
    firm = cycles >= FIRM_CYCLES and margin <= FIRM_CENTS and confidence >= FIRM_CONFIDENCE
    early = path.level_db > path.level_db.max() - HEARD_RANGE_DB
    # By time: the points of the sweep stand closer than those of the tail.
    energy = 10 ** (path.level_db[early] / 10) * np.gradient(path.time_s)[early]
    heard = 2 ** float(np.sum(energy * np.log2(path.pitch_hz[early])) / energy.sum())
    end_s = landed_s + cycles / landing
    landed_s, start = sweep_of(chosen.fits, landed_s, max(1.0, float(path.pitch_hz[early][0]) / landing))
    drift = drift or still_falling(chosen.fits, landed_s, end_s)
    return Landing(
        landing_hz=landing,
        heard_hz=heard,
        uncertainty_cents=min(margin, MOST_SAID_CENTS),
        verdict="firm" if firm else "uncertain",
        confidence=confidence,
        cycles=cycles,
        # Of a note known no better than this nobody can say that it does not drift.
        drift_cents_per_s=None if drift == 0 and margin > UNKNOWN_DRIFT_CENTS else drift,
        sweep_semitones=12 * math.log2(start),
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
    swept, pitch, _ = follow_back(x, harmonic * landing_hz, float(times[turn]), rate=rate)
    late = times > swept[-1]
    after = times[late & (np.arange(times.size) <= loud[-1] + 1)]
    all_pitch = np.concatenate((pitch / harmonic, np.full(after.size, landing_hz)))
    all_times = np.concatenate((swept, after))
    all_level = amplitude_along(x, all_times, harmonic * all_pitch, rate=rate)
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
    found, chosen, comb_of_chosen = _settled_on(x, spectrum, period.frequency_hz, rate=rate, noise=noise)
    if chosen is None:
        return no_landing(0.2)
    fit, drift = _settled_fit(chosen)
    telling = None if drift else _telling(chosen, found)
    margin = _margin(chosen, telling, period.periodicity, drift)
    begin, end = stretch(chosen)
    heard, heard_rate = x, rate
    energies, total = comb_of_chosen or comb(x, chosen, rate=rate)
    if chosen.frequency_hz > HIGH_NOTE_HZ:
        # The multiples of a high note lie above the decimated band.
        factor = max(1, sample_rate // WIDE_RATE)
        stop = onset + round((end + 0.1) * sample_rate)
        heard, heard_rate = decimate(signal[onset:stop], factor, pass_share=0.8), sample_rate / factor
        energies, total = comb(heard, chosen, rate=heard_rate)
    narrow, _ = comb(heard, chosen, rate=heard_rate, width=COMB_WIDTH / 3)
    low_power = _power(heard, begin, end, heard_rate)
    probability = answer_probability(
        Signs(
            periodicity=period.periodicity,
            low_share=share,
            energies=energies / max(total, 1e-30) * low_power,
            power=_power(signal[onset:], begin, end, sample_rate),
            low_power=low_power,
            margin_cents=margin,
            fundamental_hz=chosen.frequency_hz,
            narrow_share=float(narrow.sum() / max(float(energies.sum()), 1e-30)),
            periods=(end - begin) * chosen.frequency_hz,
            sounding=_sounding_s(x, rate) * chosen.frequency_hz,
            fit=telling,
        )
    )
    unlikely = probability < LEAST_PROBABILITY
    if unlikely or margin > MOST_SAID_CENTS:
        about = rough_pitch(x, rate=rate) if period.frequency_hz <= ABOUT_HIGHEST_HZ else (None, None)
        if unlikely or (about[0] and not lies_in(about, chosen.frequency_hz)):
            return no_landing(0.5 * probability, about)
    landing = fit.frequency_hz / chosen.harmonic
    if drift == 0 and chosen.error_cents > CLEAR_CENTS:
        landing = agreed_landing(x, chosen, found, rate=rate, noise=noise)
    concluded = _conclude(chosen, found, landing, drift, margin, probability, x, onset / sample_rate, rate=rate)
    also_hz = lower_note(heard, chosen, rate=heard_rate)
    return concluded if also_hz is None else replace(concluded, verdict="uncertain", also_hz=also_hz)


def _settled_on(
    x: Samples, spectrum: Spectrum, base_hz: float, *, rate: float, noise: float
) -> tuple[list[Candidate], Candidate | None, tuple[Samples, float] | None]:
    """The harmonics' fits, the one to trust with its octave decided (None where nothing can be fitted), and its comb."""
    base, frames = base_hz, x.size
    found = candidates(spectrum, base, rate=rate, frames=frames, noise=noise)
    if base > 2 * LOWEST_COMMON_HZ and found and found[0].harmonic == 1:
        lower_hz = below(spectrum, found[0], rate=rate, frames=frames, noise=noise)
        if lower_hz is not None:
            base, found = lower_hz, candidates(spectrum, lower_hz, rate=rate, frames=frames, noise=noise)
    if base > 3 * LOWEST_COMMON_HZ and is_third(found):
        lower = candidates(spectrum, base / 3, rate=rate, frames=frames, noise=noise)
        if (
            lower
            and lower[0].harmonic == 1
            and lower[0].level > 0.02 * found[0].level
            and steady(lower[0], found[0].frequency_hz / 3)
        ):
            found = lower
    if not found:
        return [], None, None
    chosen = choose(found)
    energies = comb(x, chosen, rate=rate)
    factor = octave_up(energies[0], chosen.harmonic)
    wanted = chosen.frequency_hz * factor
    if factor == 1 and chosen.error_cents < CLEAR_CENTS:
        return found, chosen, energies
    # Once more around what was found: bands centred on the partials, and as wide as the fundamental allows.
    again = candidates(spectrum, wanted, rate=rate, frames=frames, noise=noise)
    if again:
        better = choose(again)
        if abs(CENTS_PER_RATIO * math.log(better.frequency_hz / wanted)) < SAME_NOTE_CENTS:
            return again, better, None
    return found, chosen, energies
