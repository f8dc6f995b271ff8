"""What a hit lacks for its role, and what brings it: only that, no louder than needed, in place, and one layer more."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.signal import butter, sosfilt

from juglant.core.errors import InvalidTrack
from juglant.core.hit.recorded_bands import band_ranges
from juglant.core.hit.render import render_hit, render_layer
from juglant.core.hit.starts import CLAPS, KICKS, SNARES, TOMS
from juglant.core.model.hit import Hit, Layer
from juglant.core.plans.lacking import Source, brought, lacks_of
from juglant.core.synth.take import Take
from juglant.core.synth.takes import TakeAudio, provide, take_id

RATE, BPM = 48000, 126.0


def as_source(name: str, sound: np.ndarray) -> Source:
    audio = sound[None]
    take = take_id(audio, RATE)
    provide(lambda wanted: TakeAudio(audio, RATE) if wanted == take else None)
    return Source(name, Layer(id="t", name=name, source=Take(take=take)))


def noise(low: float, high: float, fall_s: float = 0.03, seed: int = 1) -> np.ndarray:
    time = np.arange(round(0.3 * RATE)) / RATE
    hiss = np.random.default_rng(seed).standard_normal(time.size)
    return 0.3 * sosfilt(butter(4, (low, high), "bandpass", fs=RATE, output="sos"), hiss) * np.exp(-time / fall_s)


def thirds_db(sound: np.ndarray) -> dict[float, float]:
    """Third octaves by this trial's own transform, dB re all of it."""
    power = np.abs(np.fft.rfft(sound, 1 << 17)) ** 2
    hz = np.fft.rfftfreq(1 << 17, 1 / RATE)
    inside = {one: power[(hz >= one / 2 ** (1 / 6)) & (hz < one * 2 ** (1 / 6))].sum() for one in band_ranges("kick") or {}}
    return {one: 10 * np.log10(max(each / power.sum(), 1e-15)) for one, each in inside.items()}


def sources() -> list[Source]:
    """Named where they are looked for by whoever asks: only the newest places are known."""
    spans = {"Right": (2000, 17000), "Low": (60, 200), "Middle": (300, 900)}
    return [as_source(name, noise(*ends)) for name, ends in spans.items()]


BODY = KICKS[0].hit.model_copy(update={"layers": (KICKS[0].hit.layers[1],)})


def test_what_is_missing_is_what_was_taken_away() -> None:
    found = lacks_of(BODY, "kick", sample_rate=RATE, bpm=BPM)
    measured, ranges = thirds_db(render_hit(BODY, sample_rate=RATE, bpm=BPM).mono), band_ranges("kick") or {}
    highest = found[0]
    assert highest.high_hz > 12000
    for hz, (low, _) in ranges.items():
        if highest.low_hz < hz < highest.high_hz:
            assert measured[hz] < low
    whole = lacks_of(KICKS[0].hit, "kick", sample_rate=RATE, bpm=BPM)
    assert sum(one.under_db for one in whole) < 0.5 * sum(one.under_db for one in found)


def test_the_sound_that_has_it_comes_first_and_brings_it_and_nothing_else() -> None:
    lack = lacks_of(BODY, "kick", sample_rate=RATE, bpm=BPM)[0]
    found = brought(BODY, "kick", lack, sources(), sample_rate=RATE, bpm=BPM)
    assert found[0].name == "Right"
    best = found[0]
    before, after = (render_hit(each, sample_rate=RATE, bpm=BPM) for each in (BODY, best.hit))
    ranges = band_ranges("kick") or {}
    was, now = thirds_db(before.mono), thirds_db(after.mono)
    missing = [hz for hz in ranges if lack.low_hz < hz < lack.high_hz]
    under = [np.mean([max(0, ranges[hz][0] - each[hz]) for hz in missing]) for each in (was, now)]
    assert under[0] == pytest.approx(lack.under_db, abs=0.8)
    assert under[1] == pytest.approx(best.after_db, abs=0.8)
    assert under[1] < 0.25 * under[0]
    # What was there is there still, and no lower than the corner is anything added.
    for hz in ranges:
        if hz < lack.low_hz / 2:
            assert now[hz] == pytest.approx(was[hz], abs=0.6)
    # No more of it than recorded ones have.
    assert all(now[hz] <= ranges[hz][1] + 1 for hz in missing)
    # The hit alone is one step away: its own layers are as they were.
    assert best.hit.layers[:-1] == BODY.layers
    assert best.hit.layers[-1] == best.layer
    assert best.layer.low_cut_hz == pytest.approx(min(2000, lack.low_hz), rel=0.01)


@pytest.mark.parametrize(("hit", "role"), [(TOMS[0].hit, "snare"), (SNARES[0].hit, "kick"), (CLAPS[1].hit, "snare")])
def test_on_other_hits_nothing_in_its_range_is_raised_by_more_than_is_said(hit: Hit, role: str) -> None:
    for lack in lacks_of(hit, role, sample_rate=RATE, bpm=BPM):  # type: ignore[arg-type]
        for one in brought(hit, role, lack, sources(), sample_rate=RATE, bpm=BPM):  # type: ignore[arg-type]
            was, now = (render_hit(each, sample_rate=RATE, bpm=BPM).mono for each in (hit, one.hit))
            energies = [np.sum(each**2) for each in (was, now)]
            ranges = band_ranges(role) or {}  # type: ignore[arg-type]
            before, after = thirds_db(was), thirds_db(now)
            raised = [
                after[hz] - before[hz] + 10 * np.log10(energies[1] / energies[0])
                for hz, (low, _) in ranges.items()
                if not lack.low_hz <= hz <= lack.high_hz and before[hz] >= low + 0.3
            ]
            assert max(raised, default=0) <= one.elsewhere_db + 0.6
            assert one.after_db <= lack.under_db + 0.1


def test_what_collapses_in_mono_is_told() -> None:
    left = noise(2000, 17000, seed=1)
    audio = np.stack((left, -0.9 * left))
    take = take_id(audio, RATE)
    provide(lambda wanted: TakeAudio(audio, RATE) if wanted == take else None)
    wide = Source("Wide", Layer(id="t", name="Wide", source=Take(take=take)))
    assert render_layer(wide.layer, sample_rate=RATE).ndim == 2
    lack = lacks_of(BODY, "kick", sample_rate=RATE, bpm=BPM)[0]
    found = brought(BODY, "kick", lack, [wide], sample_rate=RATE, bpm=BPM)
    assert found[0].fold_db is not None
    assert found[0].fold_db < -0.01


def test_silence_an_unknown_role_and_a_full_hit_are_refused_in_words() -> None:
    with pytest.raises(InvalidTrack, match="silent"):
        lacks_of(Hit(), "kick", sample_rate=RATE, bpm=BPM)
    with pytest.raises(InvalidTrack, match="nothing is known"):
        lacks_of(BODY, "rumble", sample_rate=RATE, bpm=BPM)
    full = Hit(layers=tuple(BODY.layers[0].model_copy(update={"id": f"l{n}"}) for n in range(16)))
    with pytest.raises(InvalidTrack, match="up to 16"):
        brought(full, "kick", lacks_of(BODY, "kick", sample_rate=RATE, bpm=BPM)[0], sources(), sample_rate=RATE, bpm=BPM)
