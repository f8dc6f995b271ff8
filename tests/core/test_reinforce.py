"""A hit under another: as loud at every place of the ruler, fitted so that both add, and what else changed is said."""

from __future__ import annotations

import numpy as np
import pytest
from unlike_tracks import UNLIKE

from juglant.core.commands.registry import carried_out
from juglant.core.commands.reinforce import Reinforce
from juglant.core.errors import InvalidTrack
from juglant.core.hit.reinforced import reinforced
from juglant.core.hit.render import render_hit
from juglant.core.hit.starts import CLAPS, KICKS, SNARES, TOMS
from juglant.core.model.hit import Hit
from juglant.core.model.part import Part
from juglant.core.model.track import Track

RATE = 48000
ALL = [*KICKS[:4], *SNARES[:2], *TOMS[:2], *CLAPS[:1]]


def energy_db(hit: Hit) -> float:
    """K-weighted energy, by the published filter's own coefficients at 48 kHz (ITU-R BS.1770-5, annex 1)."""
    from scipy.signal import sosfilt

    sections = np.array([
        [1.53512485958697, -2.69169618940638, 1.19839281085285, 1.0, -1.69065929318241, 0.73248077421585],
        [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621],
    ])  # fmt: skip
    audio = np.atleast_2d(render_hit(hit, sample_rate=RATE, bpm=126).audio)
    return float(10 * np.log10(np.sum(sosfilt(sections, audio, axis=1) ** 2)))


@pytest.mark.parametrize("share", [0, 10, 40, 70, 100])
@pytest.mark.parametrize("other", range(len(ALL)))
def test_every_place_of_the_ruler_is_as_loud_as_the_hit_was(other: int, share: float) -> None:
    old, new = KICKS[0].hit, ALL[other].hit
    made = reinforced(old, new, share_pct=share, aligned=True, sample_rate=RATE, bpm=126)
    assert energy_db(made.hit) + made.level_db - energy_db(old) == pytest.approx(0, abs=0.1)
    # Their balance is what was asked for, wherever their levels end.
    if 0 < share < 100:
        first = Hit(layers=tuple(one for one in made.hit.layers if one.id in {each.id for each in old.layers}))
        second = Hit(layers=tuple(one for one in made.hit.layers if one.id not in {each.id for each in old.layers}))
        wanted = 20 * np.log10(share / (100 - share))
        assert energy_db(second) - energy_db(first) == pytest.approx(wanted, abs=0.3)
    assert len(made.hit.layers) == len(old.layers) + (len(new.layers) if share else 0)
    # At either end it is one of them alone.
    audio = render_hit(made.hit, sample_rate=RATE, bpm=126).mono
    if share in (0, 100):
        alone = render_hit(old if share == 0 else new, sample_rate=RATE, bpm=126).mono
        size = min(alone.size, audio.size, RATE // 4)
        assert np.corrcoef(audio[:size], alone[:size])[0, 1] > 0.97


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("late_ms", [0.0, 1.2])
def test_the_same_hit_late_and_upside_down_is_found_and_adds(late_ms: float, turned: bool) -> None:
    old = KICKS[1].hit
    moved = [
        one.model_copy(update={"offset_ms": one.offset_ms + late_ms, "inverted": one.inverted != turned})
        for one in old.layers
    ]
    new = old.model_copy(update={"layers": tuple(moved)})
    fitted = reinforced(old, new, share_pct=50, aligned=True, sample_rate=RATE, bpm=126)
    assert fitted.turned is turned
    assert fitted.offset_ms == pytest.approx(-late_ms, abs=0.03)
    one, other = (render_hit(each, sample_rate=RATE, bpm=126).mono[:12000] for each in (fitted.hit, old))
    assert np.corrcoef(one, other)[0, 1] > 0.999
    if turned and not late_ms:
        with pytest.raises(InvalidTrack, match="cancel each other"):
            reinforced(old, new, share_pct=50, aligned=False, sample_rate=RATE, bpm=126)


@pytest.mark.parametrize("name", UNLIKE)
def test_on_unlike_tracks_nothing_else_is_touched_and_what_changes_is_said(name: str) -> None:
    track = UNLIKE[name]
    track = track() if callable(track) else track
    part = Part(id="found", name="Found", role="percussion", hit=TOMS[0].hit)
    track = track.model_copy(update={"parts": (*track.parts, part)})
    if not track.kick.layers:
        with pytest.raises(InvalidTrack, match="silent"):
            carried_out(track, Reinforce(part="kick", by="found", share_pct=40))
        return
    done = carried_out(track, Reinforce(part="kick", by="found", share_pct=40))
    for before, after in zip(track.parts, done.track.parts, strict=True):
        if before.id not in ("kick", "found"):
            assert before == after
    assert done.track.part("found") == part.model_copy(update={"muted": True})
    kick = done.track.kick_part
    assert kick.model_copy(update={"hit": track.kick, "gain_db": track.kick_part.gain_db}) == track.kick_part
    louder = kick.gain_db - track.kick_part.gain_db
    assert energy_db(done.track.kick) + louder - energy_db(track.kick) == pytest.approx(0, abs=0.15)
    assert any("as loud as before" in one for one in done.said)
    assert any("below 120 Hz" in one for one in done.said)
    lows = [render_hit(each, sample_rate=RATE, bpm=126).mono for each in (track.kick, done.track.kick)]
    spectra = [np.abs(np.fft.rfft(each, 4 * RATE)) ** 2 for each in lows]
    below = [10 * np.log10(np.sum(each[: 4 * 120])) for each in spectra]
    said = next(one for one in done.said if "below 120 Hz" in one).split("below 120 Hz ")[1].split(" dB")[0]
    assert below[1] - below[0] + louder == pytest.approx(float(said), abs=0.6)


@pytest.mark.parametrize(
    ("command", "why"),
    [
        ({"part": "kick", "by": "kick"}, "under itself"),
        ({"part": "kick", "by": "bass"}, "an instrument"),
        ({"part": "bass", "by": "kick"}, "an instrument"),
    ],
)
def test_what_cannot_be_joined_is_refused_in_words(command: dict, why: str) -> None:
    with pytest.raises(InvalidTrack, match=why):
        carried_out(Track().with_part("kick", hit=KICKS[0].hit), Reinforce(share_pct=40, **command))


def test_too_many_layers_and_a_bus_on_a_sum_are_refused() -> None:
    many = Hit(layers=tuple(one.model_copy(update={"id": f"l{n}"}) for n, one in enumerate(KICKS[0].hit.layers * 8)))
    with pytest.raises(InvalidTrack, match="at most 16"):
        reinforced(many, KICKS[1].hit, share_pct=40, aligned=True, sample_rate=RATE, bpm=126)
