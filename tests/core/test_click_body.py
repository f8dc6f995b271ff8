"""One balance from click to body: what is asked is what comes out, the hit as loud as it was, everything else as set."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from juglant.core.commands.hits import ClickToBody
from juglant.core.errors import InvalidTrack
from juglant.core.hit.click_body import click_db, clicks_of
from juglant.core.hit.render import render_hit
from juglant.core.hit.starts import STARTS
from juglant.core.measure.level import energy_loudness_db
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.own_range import OwnRange
from juglant.core.model.track import Track
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep

RATE, BPM = 48000, 126
BODY = Layer(id="body", name="Body", source=Sweep(landing_hz=55), gain_db=-4)
CLICK = Layer(id="click", name="Click", source=Beater(), gain_db=-14)
HIT = Hit(layers=(BODY, CLICK))


def loudness(hit: Hit) -> float:
    return energy_loudness_db(render_hit(hit, sample_rate=RATE, bpm=BPM).mono, sample_rate=RATE)


def above_over_below_db(hit: Hit) -> float:
    """By a split of this trial's own: what is above 4 kHz, where only a beater is, over what is below 150 Hz."""
    audio = render_hit(hit, sample_rate=RATE, bpm=BPM).mono
    sides = [
        signal.sosfilt(signal.butter(8, hz, kind, fs=RATE, output="sos"), audio)
        for hz, kind in ((4000, "highpass"), (150, "lowpass"))
    ]
    return 10 * float(np.log10(np.sum(sides[0] ** 2) / np.sum(sides[1] ** 2)))


@pytest.mark.parametrize("wanted_db", [-30.0, -18.0, -10.0, -2.0, 6.0])
def test_the_balance_asked_is_there_and_the_hit_as_loud_as_it_was(wanted_db: float) -> None:
    track = Track().with_hit("kick", HIT)
    done = ClickToBody(click_db=wanted_db).done(track)
    made, now = done.track.kick, click_db(HIT, sample_rate=RATE, bpm=BPM)
    assert now is not None
    comes_db = click_db(made, sample_rate=RATE, bpm=BPM)
    assert comes_db is not None
    # As asked, or as near as 6 dB of the whole hit's loudness bring it, and said.
    assert comes_db == pytest.approx(wanted_db, abs=0.1) or f"{comes_db:+.1f} dB over" in done.said[0]
    # Where the click's level ends it is the body that gives way, and the loudness lost is said.
    lost_db = loudness(made) - loudness(HIT)
    assert abs(lost_db) < 0.1 or (wanted_db > -18 and f"{lost_db:+.1f} dB" in done.said[-1])
    assert lost_db > -6.1
    moved_db = above_over_below_db(made) - above_over_below_db(HIT)
    if wanted_db <= -2:
        # Beyond, what is below 150 Hz is the beater's own.
        assert moved_db == pytest.approx(comes_db - now, abs=1.0)
    # Levels alone move: there is nothing else of either layer that changes.
    for before, after in zip(HIT.layers, made.layers, strict=True):
        assert after.model_copy(update={"gain_db": before.gain_db}) == before
    if not done.said:
        # Asked for again it stays.
        assert ClickToBody(click_db=wanted_db).done(done.track).track.kick == made


def test_every_kick_and_snare_that_has_both_comes_where_it_is_asked() -> None:
    found = 0
    for start in STARTS:
        now = click_db(start.hit, sample_rate=RATE, bpm=BPM) if start.role in ("kick", "snare", "tom") else None
        if now is None:
            continue
        found += 1
        for by_db in (-6, 4):
            done = ClickToBody(click_db=now + by_db).done(Track().with_hit("kick", start.hit))
            heard = click_db(done.track.kick, sample_rate=RATE, bpm=BPM)
            assert heard == pytest.approx(now + by_db, abs=0.15) or done.said, start.name
            assert loudness(done.track.kick) == pytest.approx(loudness(start.hit), abs=0.15) or done.said, start.name
            assert loudness(done.track.kick) > loudness(start.hit) - 6.1, start.name
    assert found >= 8


def test_a_level_that_ends_or_an_own_range_is_said_and_kept() -> None:
    held = HIT.model_copy(update={"ranges": (OwnRange(layer_id="click", parameter="gain_db", low=-16, high=-12),)})
    done = ClickToBody(click_db=10).done(Track().with_hit("kick", held))
    click = done.track.kick.layers[1]
    assert -16 <= click.gain_db <= -12
    assert "a level ends" in done.said[0]
    # The body gives way for it, and not by more than 6 dB of the whole: the rest is not reached, and said.
    assert loudness(done.track.kick) - loudness(HIT) == pytest.approx(-6, abs=0.1)
    assert "-6.0 dB" in done.said[1]
    assert f"{click_db(done.track.kick, sample_rate=RATE, bpm=BPM):+.1f}" in done.said[0]


@pytest.mark.parametrize("layers", [(), (BODY,), (CLICK,), (BODY, CLICK.model_copy(update={"muted": True}))])
def test_one_of_the_two_alone_is_refused_in_words(layers: tuple[Layer, ...]) -> None:
    hit = Hit(layers=layers)
    assert clicks_of(hit, sample_rate=RATE, bpm=BPM) is None
    with pytest.raises(InvalidTrack, match="only one of them"):
        ClickToBody(click_db=-10).done(Track().with_hit("kick", hit))
