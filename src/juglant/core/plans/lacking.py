"""What a hit lacks for its role against recorded ones, and which sounds bring just that, cut to that job and no louder.

Ranges of recorded drums by third octaves are those that a recording is shaped towards (docs: make it a).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from juglant.core.errors import InvalidTrack
from juglant.core.hit.recorded import RECORDED
from juglant.core.hit.recorded_bands import band_ranges
from juglant.core.hit.render import folded, render_hit, render_layer
from juglant.core.measure.character import Character, measure_character
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.stereo import fold_loss_db
from juglant.core.model.hit import HIGH_CUT_OFF_HZ, LOW_CUT_OFF_HZ, MAX_LAYERS, Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.music.notes import cents_between
from juglant.core.parameter.fields import limits_of
from juglant.core.signal.match import fitted_to
from juglant.core.types import Samples

# Less than this under the range is no lack; a gap of one third octave belongs to what is around it (this project's choice).
LEAST_LACK_DB, MOST_LACKS = 2.0, 4
# Lower than this a role needs nothing (common practice: lows belong to kick and bass).
LOWEST_HZ: dict[Role, float] = {"kick": 30.0, "tom": 60.0}
OTHERS_LOWEST_HZ = 120.0
THIRD = 2 ** (1 / 6)
# A lack is filled to the range's lower end, never beyond it; what a layer adds elsewhere is weighed this much.
ELSEWHERE_WEIGHT, TRIED, LEAST_HELP_DB = 1.0, 8, 0.5
LEAST_ADDS, FADES = 0.35, 1e-9


@dataclass(frozen=True)
class Lack:
    """What is missing: from where to where, Hz, and how far it is under what recorded ones have at the least, dB."""

    low_hz: float
    high_hz: float
    under_db: float


@dataclass(frozen=True)
class Brought:
    """A sound that brings what is missing, as a layer ready to be added. after_db: how far what is missing is under
    recorded ones then; elsewhere_db: the most it adds to any third octave that was in its range; landing_cents: by how much
    it moves the landing, None without one; fold_db: what of the hit is lost in mono with it."""

    name: str
    layer: Layer
    hit: Hit
    after_db: float
    elsewhere_db: float
    landing_cents: float | None
    fold_db: float | None


@dataclass(frozen=True)
class Source:
    """A sound that may bring something: what it is called, and a layer that plays it."""

    name: str
    layer: Layer


def _under(found: Character, role: Role) -> dict[float, float]:
    """How far each third octave is under its range, dB; those that are not, and those that the role needs nothing of, are
    left out."""
    ranges, lowest = band_ranges(role) or {}, LOWEST_HZ.get(role, OTHERS_LOWEST_HZ)
    return {hz: low - found.bands_db[hz] for hz, (low, _) in ranges.items() if found.bands_db[hz] < low and hz >= lowest}


def _character(hit: Hit, rate: int, bpm: float) -> Character:
    found = measure_character(render_hit(hit, sample_rate=rate, bpm=bpm).mono, sample_rate=rate)
    if found is None:
        raise InvalidTrack("the hit is silent: there is nothing to measure yet")
    return found


def lacks_of(hit: Hit, role: Role, *, sample_rate: int, bpm: float) -> list[Lack]:
    """What a hit lacks for a role, the most first; raises InvalidTrack for silence and a role that nobody recorded."""
    if role not in RECORDED:
        raise InvalidTrack(f"nothing is known of recorded sounds of the role {role}: choose {', '.join(RECORDED)}")
    under = _under(_character(hit, sample_rate, bpm), role)
    groups: list[list[float]] = []
    for hz in sorted(hz for hz, db in under.items() if db >= LEAST_LACK_DB):
        if groups and hz / groups[-1][-1] < THIRD**4 * 1.01:
            groups[-1].append(hz)
        else:
            groups.append([hz])
    found = [
        Lack(
            low_hz=round(group[0] / THIRD, 1),
            high_hz=round(group[-1] * THIRD, 1),
            under_db=round(float(np.mean([under[hz] for hz in group])), 1),
        )
        for group in groups
    ]
    return sorted(found, key=lambda one: -one.under_db * math.log2(one.high_hz / one.low_hz + 1))[:MOST_LACKS]


def _cut_to(layer: Layer, lack: Lack, taken: set[str]) -> Layer:
    """A layer with nothing of it outside what is missing, within what a layer's own corners can do."""
    low, high = limits_of(Layer, "low_cut_hz"), limits_of(Layer, "high_cut_hz")
    assert low is not None  # noqa: S101 - both corners are rulers
    assert high is not None  # noqa: S101
    number = next(n for n in range(1, MAX_LAYERS + 2) if f"brings-{n}" not in taken)
    return layer.model_copy(
        update={
            "id": f"brings-{number}",
            "low_cut_hz": min(low.high, max(layer.low_cut_hz, lack.low_hz, LOW_CUT_OFF_HZ)),
            "high_cut_hz": max(high.low, min(layer.high_cut_hz, lack.high_hz, HIGH_CUT_OFF_HZ)),
            "struck_by": None,
            "muted": False,
            "solo": False,
        }
    )


def _energies(mono: Samples, rate: int) -> dict[float, float]:
    """Energy of each third octave of a sound."""
    found = measure_character(mono, sample_rate=rate)
    total = float(np.sum(mono**2))
    return {} if found is None else {hz: total * 10 ** (db / 10) for hz, db in found.bands_db.items()}


def brought(hit: Hit, role: Role, lack: Lack, sources: list[Source], *, sample_rate: int, bpm: float) -> list[Brought]:
    """Sounds that bring what a hit lacks, the best first: cut to it, as loud as it needs, fitted to what is there.

    Raises InvalidTrack where the hit has no room for a layer more.
    """
    if len(hit.layers) >= MAX_LAYERS:
        raise InvalidTrack(f"a hit has up to {MAX_LAYERS} layers: take one out first")
    ranges = band_ranges(role) or {}
    before = render_hit(hit, sample_rate=sample_rate, bpm=bpm)
    own, whole = _energies(before.mono, sample_rate), float(np.sum(before.mono**2))
    missing = [hz for hz in ranges if lack.low_hz <= hz <= lack.high_hz]
    needed = sum(max(0.0, whole * 10 ** (ranges[hz][0] / 10) - own[hz]) for hz in missing)
    taken = {layer.id for layer in hit.layers}
    scored = []
    for one in sources:
        layer = _cut_to(one.layer, lack, taken)
        energies = _energies(folded(render_layer(layer, sample_rate=sample_rate, bpm=bpm)), sample_rate)
        useful = sum(energies.get(hz, 0.0) for hz in missing)
        if useful < FADES or needed <= 0:
            continue
        # Never beyond what recorded ones have in any third octave of it.
        room = [(whole * 10 ** (ranges[hz][1] / 10) - own[hz]) / max(energies[hz], FADES) for hz in missing]
        scale = min(needed / useful, *room)
        if scale <= 0:
            continue
        left = sum(_lack_db(own[hz] + scale * energies[hz], whole, ranges[hz][0]) for hz in missing) / len(missing)
        worst = max(
            (
                10 * math.log10(1 + scale * energies[hz] / max(own[hz], FADES))
                for hz in _in_range(own, whole, role, missing)
            ),
            default=0.0,
        )
        scored.append((left + ELSEWHERE_WEIGHT * worst, one, layer, 10 * math.log10(scale)))
    scored.sort(key=lambda each: each[0])
    made = [
        _added(hit, role, one.name, layer, gain_db, missing, sample_rate=sample_rate, bpm=bpm)
        for _, one, layer, gain_db in scored[:TRIED]
    ]
    helps = [one for one in made if one.after_db <= lack.under_db - LEAST_HELP_DB]
    return sorted(helps, key=lambda one: one.after_db + ELSEWHERE_WEIGHT * max(0.0, one.elsewhere_db))


def _in_range(energies: dict[float, float], whole: float, role: Role, missing: list[float]) -> list[float]:
    """Third octaves that are not what is missing, and have what recorded ones have."""
    ranges = band_ranges(role) or {}
    return [hz for hz, (low, _) in ranges.items() if hz not in missing and energies[hz] >= whole * 10 ** (low / 10)]


def _lack_db(energy: float, whole: float, low_db: float) -> float:
    return max(0.0, low_db - 10 * math.log10(max(energy, FADES) / whole))


def _added(
    hit: Hit, role: Role, name: str, layer: Layer, gain_db: float, missing: list[float], *, sample_rate: int, bpm: float
) -> Brought:
    """A hit with a layer more, fitted to it, and measured."""
    ranges = band_ranges(role) or {}
    gain, offset = limits_of(Layer, "gain_db"), limits_of(Layer, "offset_ms")
    assert gain is not None  # noqa: S101 - both are rulers
    assert offset is not None  # noqa: S101
    before = render_hit(hit, sample_rate=sample_rate, bpm=bpm)
    alone = folded(render_layer(layer, sample_rate=sample_rate, bpm=bpm))
    off, turned = fitted_to(before.mono[before.lead_frames :], 0, alone, least=LEAST_ADDS, sample_rate=sample_rate)
    layer = layer.model_copy(
        update={
            "name": name[:40],
            "gain_db": round(min(gain.high, max(gain.low, layer.gain_db + gain_db)), 2),
            "offset_ms": round(min(offset.high, max(offset.low, layer.offset_ms + 1000 * off / sample_rate)), 3),
            "inverted": layer.inverted != turned,
        }
    )
    made = hit.model_copy(update={"layers": (*hit.layers, layer)})
    after = render_hit(made, sample_rate=sample_rate, bpm=bpm)
    was, now = (_energies(each.mono, sample_rate) for each in (before, after))
    whole = float(np.sum(after.mono**2))
    left = sum(_lack_db(now[hz], whole, ranges[hz][0]) for hz in missing) / max(1, len(missing))
    in_range = _in_range(was, float(np.sum(before.mono**2)), role, missing)
    landing = measure_landing(before.mono[before.lead_frames :], sample_rate=sample_rate).landing_hz
    lands = measure_landing(after.mono[after.lead_frames :], sample_rate=sample_rate).landing_hz
    return Brought(
        name=name,
        layer=layer,
        hit=made,
        after_db=round(left, 1),
        elsewhere_db=round(max((10 * math.log10(now[hz] / max(was[hz], FADES)) for hz in in_range), default=0.0), 1),
        landing_cents=round(cents_between(lands, landing), 1) if lands and landing else None,
        fold_db=fold_loss_db(after.audio) if after.audio.ndim == 2 else None,
    )
