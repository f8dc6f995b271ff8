"""A part that is ducked for the first time: its own clash with the kick, over every third octave."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import tone

from juglant.core.measure.bands import CENTRES_HZ, all_band_frames
from juglant.core.mix.ducks import newly_ducked
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.kit import KitHit, Stroke
from juglant.core.model.track import Track
from juglant.core.synth.metal import Metal

RATE = 48000


@pytest.mark.parametrize("hz", [60.0, 700.0, 9000.0])
def test_every_band_of_a_tone_holds_what_the_reference_filters_leave(hz: float) -> None:
    """The bands' own definition by scipy at the full rate, forward and backward, frame by frame."""
    time = np.arange(RATE) / RATE
    loop = np.sin(2 * np.pi * hz * time) * (1 + 0.5 * np.sin(2 * np.pi * 2 * time))
    found = all_band_frames(loop, sample_rate=RATE)
    row = int(np.argmin(np.abs(np.log(np.array(CENTRES_HZ) / hz))))
    centre = CENTRES_HZ[row]
    sections = dsp.butter(3, [centre / 10**0.05, centre * 10**0.05], "bandpass", fs=RATE, output="sos")
    wanted = dsp.sosfiltfilt(sections, np.tile(loop, 3))[RATE : 2 * RATE].reshape(50, -1) ** 2
    assert 10 * np.log10(found[row] / wanted.sum(axis=1)) == pytest.approx(np.zeros(50), abs=0.15)


METAL = Hit(layers=(Layer(id="m", name="M", source=Metal()),))


@pytest.mark.parametrize(("hit", "deep"), [(tone(58.0), True), (METAL, False)], ids=["low", "metal"])
def test_a_part_newly_ducked_starts_from_its_own_clash(hit: Hit, deep: bool, solved: Track) -> None:
    """A tone in the kick's own band gives way as far as it clashes, metal far above it by 2 dB at most."""
    strokes = tuple(Stroke(at_beats=float(beat), velocity=127) for beat in range(16))
    one = KitHit(id="tone", name="Tone", role="chord", hit=hit, strokes=strokes, gain_db=-8)
    track = solved.model_copy(update={"kit": (one,)})
    made = newly_ducked(track, "tone")
    (curve,) = made.ducking.of("tone").curves
    assert curve.on
    assert (curve.depth_db > 2) == deep
    assert curve.depth_db <= (24 if deep else 2)
    assert curve.lookahead_ms <= curve.fall_ms + 2
    assert curve.return_ms >= 59
    assert made.duck == track.duck
