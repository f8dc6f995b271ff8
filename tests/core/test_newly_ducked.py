"""A part that is ducked for the first time: its own clash with the kick, over every third octave."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import tone

from juglant.core.analysis.part_duck import measure_part
from juglant.core.duck.part_curves import first_curve
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import CENTRES_HZ, all_band_frames
from juglant.core.model.duck import Duck, Key
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.part import Part
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track
from juglant.core.model.version_one import Ducking, Target
from juglant.core.plans.ducks import newly_ducked, plan_part
from juglant.core.synth.metal import Metal
from juglant.core.synth.tail import Tail

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


def third_octaves(loop: np.ndarray) -> np.ndarray:
    """Energies of every third octave up to 16 kHz and 20 ms frame by scipy at the full rate, with the loop's own wrap."""
    rows = []
    for centre in CENTRES_HZ:
        sections = dsp.butter(3, [centre / 10**0.05, centre * 10**0.05], "bandpass", fs=RATE, output="sos")
        band = dsp.sosfiltfilt(sections, np.tile(loop, 3))[loop.size : 2 * loop.size] ** 2
        rows.append(np.append(band, np.zeros(-band.size % 960)).reshape(-1, 960).sum(axis=1))
    return np.array(rows)


def clap_over_db(clap: np.ndarray, before: np.ndarray, heard: np.ndarray, strokes_s: list[float]) -> float:
    """Clap over a part by the method's *any pair*: over all third octaves that both have, where the clap is active."""
    owner, other, now = (third_octaves(one) for one in (clap, before, heard))
    peaks = owner.max(axis=1), other.max(axis=1)
    floor = max(peaks[0].max(), peaks[1].max()) / 100
    cells = (owner >= peaks[0][:, None] * 10**-1.2) & (owner >= peaks[0].max() * 1e-4)
    for stroke in strokes_s:
        first = int(np.ceil(stroke / 0.02))
        cells[:, first - 4 : first] &= cells[:, [first - 5]]
    cells &= ((peaks[0] >= floor) & (peaks[1] >= floor))[:, None]
    return float(10 * np.log10(owner[cells].sum() / now[cells].sum()))


def test_a_duck_keyed_by_a_clap_is_the_claps_and_not_the_kicks() -> None:
    """Its bands, its length and its goal (+6 dB over every third octave), whatever the kick does."""
    clap = Hit(layers=(Layer(id="n", name="N", source=Tail(landing_hz=245, hold_ms=60, decay_ms=60)),))
    pad = Hit(layers=(Layer(id="m", name="M", source=Tail(landing_hz=240, hold_ms=500, decay_ms=300), gain_db=-3),))
    kit = (
        Part(
            id="clap", name="Clap", role="clap", hit=clap, strokes=(Stroke(at_beats=1.0), Stroke(at_beats=3.0)), gain_db=-9
        ),
        Part(id="pad", name="Pad", role="chord", hit=pad, strokes=(Stroke(at_beats=0.5), Stroke(at_beats=2.5)), gain_db=-9),
    )
    curve = Duck(on=True, depth_db=3, key=Key(kind="hits", hit_ids=("clap",)))
    track = Track(
        kick=tone(50), kick_at_beats=(0.0, 2.0), kit=kit, ducking=Ducking(targets=(Target(part="pad", curves=(curve,)),))
    )
    track = track.model_copy(update={"sheet": track.sheet.model_copy(update={"bars": 1})})
    made, plan = plan_part(track, "pad")
    found = measure_part(made, "pad")
    assert found.owner == "Clap"
    stems = [
        folded(render_stem(made, StemRef(*one))) for one in (("clap",), ("pad", "before"), ("pad", "unducked"), ("pad",))
    ]
    bare, reached = (clap_over_db(stems[0], stems[1], one, [60 / 126, 180 / 126]) for one in stems[2:])
    assert bare < 5
    assert found.before_db == pytest.approx(bare, abs=0.3)
    assert found.after_db == pytest.approx(reached, abs=0.3)
    assert reached == pytest.approx(6.0, abs=0.4)
    assert plan.reason == "the goal is reached"
    # A longer clap holds it down for longer; a longer kick does not.
    held = [first_curve(made, "pad").hold_ms]
    for longer in (
        track.with_hit(
            "clap", Hit(layers=(Layer(id="n", name="N", source=Tail(landing_hz=245, hold_ms=160, decay_ms=60)),))
        ),
        track.having(
            kick=tone(50).model_copy(update={"layers": (Layer(id="a", name="A", source=Tail(landing_hz=50, hold_ms=600)),)})
        ),
    ):
        held.append(first_curve(plan_part(longer, "pad")[0], "pad").hold_ms)
    assert held[1] > held[0] + 20
    assert held[2] == pytest.approx(held[0], abs=1)


METAL = Hit(layers=(Layer(id="m", name="M", source=Metal()),))


@pytest.mark.parametrize(("hit", "deep"), [(tone(58.0), True), (METAL, False)], ids=["low", "metal"])
def test_a_part_newly_ducked_starts_from_its_own_clash(hit: Hit, deep: bool, solved: Track) -> None:
    """A tone in the kick's own band gives way as far as it clashes, metal far above it by 2 dB at most."""
    strokes = tuple(Stroke(at_beats=float(beat), velocity=127) for beat in range(16))
    one = Part(id="tone", name="Tone", role="chord", hit=hit, strokes=strokes, gain_db=-8)
    track = solved.having(kit=(one,))
    made = newly_ducked(track, "tone")
    (curve,) = made.part("tone").ducked.curves
    assert curve.on
    assert (curve.depth_db > 2) == deep
    assert curve.depth_db <= (24 if deep else 2)
    assert curve.lookahead_ms <= curve.fall_ms + 2
    assert curve.return_ms >= 59
    assert made.duck == track.duck
