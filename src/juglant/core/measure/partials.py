"""The partials of a hit: each fitted, one chosen, and the octave decided by what stands at the others."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np
from scipy import fft

from juglant.core.measure.phase_fit import (
    BAND_SHARE,
    CENTS_PER_RATIO,
    Fit,
    Partial,
    fit_settled,
    partial_around,
)
from juglant.core.types import Samples, Spectrum

# Harmonics whose phase is fitted, and sub-harmonics asked for when the coarse period may be a fraction of the true one.
HARMONICS = (1, 2, 3)
FRACTIONS = (2, 3)
# Less than this of a lower partial proves nothing: any stretch of phase is straight over one cycle.
STEADY_CYCLES = 3.0
# A lower partial fainter than this re the upper one is not even fitted.
FAINT = 0.003
# Starts of the fit after the sweep has come near, in periods.
STARTS = np.array([0.0, 0.5, 1.0, 1.5, 2.0, 3.0, 4.0, 6.0, 8.0])
QUICK_STARTS = np.array([0.5, 2.0])
SHORTEST_PERIODS = 1.8
# Pitch this far from the partial (ratio) is still sweep: not fitted.
FARTHEST = 0.35
ALIVE = 0.02
# A fundamental known this well places its harmonics without a search.
SURE_CENTS = 3.0
# A lower partial is only looked for where the fundamental could be this low or higher.
LOWEST_COMMON_HZ = 32.0
# 5/6 with room for the band's pull; a skin's second mode would stand at 0.797.
FIFTH_OVER_SIXTH = (0.82, 0.86)
# An odd harmonic at least this strong re the second speaks against the second being the fundamental.
STRONG = 0.5
TELLING_CENTS = 15.0
# A fit worse than this (rms radians) is also tried up to where the partial has fallen by 8, 14 and 20 dB: a room goes on.
UNCLEAR_RAD = 0.03
LIMITS = np.array([ALIVE, FARTHEST, SHORTEST_PERIODS, UNCLEAR_RAD, 10 ** (-8 / 20), 10 ** (-14 / 20), 10 ** (-20 / 20)])
# Another harmonic agrees on the note within this.
SAME_CENTS = 60.0
# Harmonics asked for their energy, the width of each band as a share of the fundamental, and how little the odd ones
# (or those that are no multiple of three) may hold before the fundamental is an octave (or a twelfth) up.
COMB, COMB_WIDTH, LEAST_ODD = 9, 0.1, 0.06
# A lower note is said too where two partials of its own stand this near to their places (ratio of the fundamental) and
# within this of the strongest (method); a skin's second to sixth mode fit neither series twice.
OWN_PLACE, OWN_LEVEL_DB, OWN_PARTIALS, HIGHEST_OWN, SPECTRUM_STEP = 0.02, -20.0, 2, 4.0, 0.004
# The stretch fades in and out over a fourth of its length at each end.
TAPER = 4


@dataclass(frozen=True)
class Candidate:
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
        return CENTS_PER_RATIO * self.fit.error_hz / self.fit.frequency_hz


def _fit_harmonic(
    spectrum: Spectrum, base_hz: float, harmonic: int, *, rate: float, frames: int, noise: float, sure: bool = False
) -> Candidate | None:
    """Fit one harmonic twice, the second time centred on what the first found; once where the base is sure."""
    width = BAND_SHARE * base_hz
    noise_amplitude = math.sqrt(noise * 2 * width * 1.8 / (rate / 2))
    centre, candidate = harmonic * base_hz, None
    for starts in (STARTS,) if sure else (QUICK_STARTS, STARTS):
        part = partial_around(spectrum, centre, rate=rate, frames=frames, width_hz=width)
        tried = fit_settled(
            part, noise_amplitude, period_s=1 / base_hz, waits=starts, limits=LIMITS, farthest=1 / math.sqrt(harmonic)
        )
        if tried is None:
            return None
        fits = [fit for fit in tried[0] if abs(fit.frequency_hz / centre - 1) < 0.5]
        if not fits:
            return None
        best, level = min(fits, key=lambda fit: fit.error_hz), tried[1]
        candidate = Candidate(harmonic, part, fits, best, level)
        if abs(best.frequency_hz / centre - 1) < 0.2:
            centre = best.frequency_hz
    return candidate


def candidates(
    spectrum: Spectrum, base_hz: float, *, rate: float, frames: int, noise: float, sure: bool = False
) -> list[Candidate]:
    """Fits of the fundamental and its first harmonics that agree with each other; sure: the base needs no search."""
    found: list[Candidate] = []
    for harmonic in HARMONICS:
        if harmonic * base_hz > 0.42 * rate:
            break
        known = bool(found) and found[0].error_cents < SURE_CENTS
        centre = found[0].frequency_hz if known else base_hz
        one = _fit_harmonic(spectrum, centre, harmonic, rate=rate, frames=frames, noise=noise, sure=sure or known)
        if one is not None:
            found.append(one)
    return found


def choose(found: list[Candidate]) -> Candidate:
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
    return ground if sure and apart(best, ground) > 6 * (best.error_cents + ground.error_cents) + 15 else best


def _supports(one: Candidate, best: Candidate) -> bool:
    """Whether another harmonic speaks for the same fundamental: by agreeing, or by being strong and near."""
    off = apart(one, best)
    # What is known only vaguely agrees with everything and speaks for nothing.
    agrees = one.error_cents < TELLING_CENTS and off < 5 * (one.error_cents + best.error_cents) + 10
    return agrees or (one.level > STRONG * best.level and off < SAME_CENTS)


def is_third(found: list[Candidate]) -> bool:
    """Whether the fits are of a third harmonic: near its second multiple stands 5/3 instead (skins have 1.593)."""
    ratios = [one.frequency_hz / found[0].frequency_hz for one in found if one.harmonic == 2 and one.error_cents < 60]
    return bool(ratios) and found[0].harmonic == 1 and FIFTH_OVER_SIXTH[0] < ratios[0] < FIFTH_OVER_SIXTH[1]


def steady(one: Candidate, expected_hz: float) -> bool:
    """Whether a weak partial is where it should be, within what its own error allows."""
    off = abs(1200 * math.log2(one.frequency_hz / expected_hz))
    return one.error_cents < 40 and one.fit.residual < 0.1 and off < 20 + 4 * one.error_cents


def apart(one: Candidate, other: Candidate) -> float:
    """Distance of two candidates' fundamentals in cents."""
    return abs(1200 * math.log2(one.frequency_hz / other.frequency_hz))


def below(spectrum: Spectrum, top: Candidate, *, rate: float, frames: int, noise: float) -> float | None:
    """The true fundamental where the coarse period is a fraction of it: a steady partial exactly at f / 2 or f / 3.

    top: the fit at the coarse period. Only a partial whose own phase is steady, at the very frequency, is believed;
    a sweep or noise is neither.
    """
    for fraction in FRACTIONS:
        lower = top.fit.frequency_hz / fraction
        if lower < LOWEST_COMMON_HZ:
            continue
        part = partial_around(spectrum, lower, rate=rate, frames=frames, width_hz=BAND_SHARE * lower)
        if float(np.mean(part.amplitude**2)) < (FAINT * top.level) ** 2:
            continue
        ground = _fit_harmonic(spectrum, lower, 1, rate=rate, frames=frames, noise=noise)
        if ground is None or ground.level < 0.01 * top.level:
            continue
        off = abs(1200 * math.log2(ground.fit.frequency_hz / lower))
        if ground.fit.residual < 0.05 and ground.error_cents < 5 and off < 10 and ground.fit.cycles > STEADY_CYCLES:
            return lower
        if fraction == 3 and ground.level > 0.02 * top.level:
            # Odd harmonics alone: the fifth of the lower note is steady, where a skin has nothing (1.593, not 1.667).
            fifth = _fit_harmonic(spectrum, lower, 5, rate=rate, frames=frames, noise=noise)
            if fifth is not None and fifth.level > 0.15 * top.level and fifth.fit.residual < 0.15:
                if abs(1200 * math.log2(fifth.frequency_hz / lower)) < min(45, 15 + 3 * fifth.error_cents):
                    return lower
    return None


def stretch(chosen: Candidate) -> tuple[float, float]:
    """Start and end of the chosen fit, in seconds after the onset."""
    return chosen.fit.start_s, chosen.fit.start_s + chosen.fit.cycles / chosen.part.frequency_hz


def _tapered(x: Samples, chosen: Candidate, *, rate: float) -> Samples:
    """The stretch of the chosen fit, (frames,), fading in and out."""
    begin, end = (round(time_s * rate) for time_s in stretch(chosen))
    part = x[begin : end + 1].copy()
    edge = max(1, part.size // TAPER)
    rise = 0.5 - 0.5 * np.cos(np.pi * np.arange(edge) / edge)
    part[:edge] *= rise
    part[-edge:] *= rise[::-1]
    return part


def lower_note(x: Samples, chosen: Candidate, *, rate: float) -> float | None:
    """The note an octave or a twelfth under the fundamental where partials of its own are heard too, Hz; else None.

    x: the decimated hit, (frames,). Asked of the stretch of the chosen fit: two peaks exactly at odd multiples of a half,
    or at multiples of a third that are no multiples of three, each within 20 dB of the strongest.
    """
    part, base = _tapered(x, chosen, rate=rate), chosen.frequency_hz
    length = fft.next_fast_len(max(part.size, math.ceil(rate / (SPECTRUM_STEP * base))), real=True)
    power = np.abs(fft.rfft(part, length)) ** 2
    spacing = rate / length

    def peak(ratio: float) -> float:
        low = max(1, math.floor((ratio - OWN_PLACE) * base / spacing))
        high = min(power.size - 1, math.ceil((ratio + OWN_PLACE) * base / spacing))
        if high - low < 2:
            return 0.0
        top = low + int(np.argmax(power[low : high + 1]))
        # The slope of a neighbour is no partial.
        return float(power[top]) if low < top < high else 0.0

    highest = min(HIGHEST_OWN, 0.42 * rate / base)
    strongest = max((peak(k) for k in range(1, int(highest) + 1)), default=0.0)
    for parts in (2, 3):
        own = [k / parts for k in range(1, int(highest * parts) + 1) if math.gcd(k, parts) == 1]
        found = sum(peak(ratio) > strongest * 10 ** (OWN_LEVEL_DB / 10) for ratio in own)
        if strongest > 0 and found >= OWN_PARTIALS and base / parts >= LOWEST_COMMON_HZ / 2:
            return base / parts
    return None


def comb(x: Samples, chosen: Candidate, *, rate: float, width: float = COMB_WIDTH) -> tuple[Samples, float]:
    """Power in narrow bands at the multiples of the fundamental, (COMB,), and of all, over the stretch of the chosen fit.

    x: the decimated hit, (frames,); width: of a band, as a share of the fundamental. One transform of the stretch under a
    tapered window.
    """
    part = _tapered(x, chosen, rate=rate)
    length = fft.next_fast_len(max(2 * part.size, round(2 * rate / chosen.frequency_hz)), real=True)
    spectrum = fft.rfft(part, length)
    power = (spectrum.real**2 + spectrum.imag**2) * (2 / length)
    spacing, base, out = rate / length, chosen.frequency_hz, np.zeros(COMB)
    reach = math.ceil(2 * width * base / spacing)
    for k in range(1, COMB + 1):
        centre = round(k * base / spacing)
        if k * base > 0.42 * rate:
            break
        near = np.arange(max(1, centre - reach), min(power.size, centre + reach + 1))
        out[k - 1] = power[near] @ np.exp(-(((near * spacing - k * base) / (width * base)) ** 2))
    return out, float(power.sum())


def octave_up(energies: Samples, harmonic: int) -> int:
    """Factor by which the fundamental is really higher: 2 or 3 where the chosen harmonic's multiples hold all there is."""
    for factor in (2, 3):
        if harmonic % factor == 0:
            own = float(energies[factor - 1 :: factor].sum())
            if float(energies.sum()) - own < LEAST_ODD * own:
                return factor
    return 1
