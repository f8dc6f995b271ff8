"""Starting points: in tune with whatever track chooses them, all different, and what common practice says of kicks."""

from __future__ import annotations

from itertools import combinations
from typing import get_args

import numpy as np
import pytest
import scipy
import soxr

from juglant.core.commands.hits import StartFrom
from juglant.core.hit.render import RenderedHit, render_hit
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.starts import HIGHEST_HZ, LOWEST_HZ, STARTS, MeasuredStart, kick_tonic_hz, measured_starts
from juglant.core.measure.bands import band_energies
from juglant.core.model.ids import Role
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.music.scales import TONICS, nearest_scale_note, pitch_class
from juglant.demo.kit import with_kit

KICK = KICKS[0].hit
RATE = 48000
DRUM_ROLES: tuple[Role, ...] = ("snare", "clap", "hat", "open hat", "tom", "percussion")


@pytest.mark.parametrize("tonic", ["Bb", "E", "F#"])
@pytest.mark.parametrize("a4_hz", [440, 432])
def test_every_start_is_in_tune_with_the_track(tonic: str, a4_hz: float) -> None:
    sheet = Sheet(tonic=tonic, a4_hz=a4_hz)  # type: ignore[arg-type]
    for start in measured_starts(sheet, "kick", KICK):
        assert start.landing_hz is not None, start.name
        # A loose, low kick is followed to a few cents; off the key is what lies 10 cents from it.
        assert abs(cents_between(start.landing_hz, kick_tonic_hz(start.landing_hz, sheet))) < 6, start.name
        assert start.note is not None
        assert start.note.startswith(tonic)
    for role in DRUM_ROLES:
        for start in measured_starts(sheet, role, KICK):
            if start.landing_hz is not None:
                off = nearest_scale_note(start.landing_hz, sheet.tonic, sheet.scale, sheet.a4_hz)[1]
                assert abs(off) < 10, start.name


def test_there_are_six_of_every_role_and_eight_kicks_each_measured_and_playable() -> None:
    sheet = Sheet(tonic="Bb", bars=4)
    names = set()
    for role in get_args(Role):
        found = measured_starts(sheet, role, KICK)
        assert len(found) >= (8 if role == "kick" else 6), role
        # One line each of what it is for, no two alike.
        assert len({start.help for start in found}) == len(found)
        assert len({start.family for start in found}) >= 4, role
        for start in found:
            assert start.length_ms is not None
            assert start.strokes
            assert all(stroke.at_beats < 16 for stroke in start.strokes)
            names.add(start.name)
    assert len(names) == len(STARTS)


def _strongest_band_hz(start: MeasuredStart) -> float:
    energies = band_energies(render_hit(start.hit, sample_rate=48000).mono, sample_rate=48000)
    return max(energies, key=lambda centre: energies[centre])


def test_drums_turned_out_as_common_practice_says() -> None:
    """Common practice, measured on what the starts turned out to be, never on what they were set from.

    A clap's strongest band at 1-2 kHz, the snare's below it; a snare's tone an octave or two above a kick at 40-80 Hz;
    hats above 3 kHz, strongest from the band of 3.15 kHz; skins ring under a second.
    """
    sheet = Sheet(tonic="Bb")
    for clap in measured_starts(sheet, "clap", KICK):
        assert 1000 / 10**0.05 <= _strongest_band_hz(clap) <= 2000 * 10**0.05, clap.name
    for snare in measured_starts(sheet, "snare", KICK):
        assert _strongest_band_hz(snare) < 1000, snare.name
        if snare.landing_hz is not None:
            assert 2 * 40 <= snare.landing_hz <= 4 * 80, snare.name
    for role in ("hat", "open hat"):
        for hat in measured_starts(sheet, role, KICK):
            energy = band_energies(_sound(hat).mono, sample_rate=RATE)
            assert sum(value for centre, value in energy.items() if centre > 3000) > 0.75 * sum(energy.values()), hat.name
            assert _strongest_band_hz(hat) >= 3000, hat.name
    lengths = {role: [s.length_ms or 0 for s in measured_starts(sheet, role, KICK)] for role in ("hat", "open hat", "tom")}
    assert max(lengths["hat"]) < min(lengths["open hat"])
    assert max(lengths["tom"]) < 1000


@pytest.mark.parametrize("tonic", TONICS)
def test_there_is_a_tonic_a_kick_can_land_on_in_every_key(tonic: str) -> None:
    for near in (30, 55, 120):
        hz = kick_tonic_hz(near, Sheet(tonic=tonic))  # type: ignore[arg-type]
        assert LOWEST_HZ <= hz <= HIGHEST_HZ
        semitones = cents_between(hz, 440) / 100
        assert round(semitones) == pytest.approx(semitones, abs=1e-6)
        assert (69 + round(semitones)) % 12 == pitch_class(tonic)


def test_they_are_what_common_practice_says() -> None:
    """Common practice (ranges): about half a beat where a kick is on every beat, up to 700 ms where it is the bass.

    One is longer still, a beat and a half at most: it has the bass's place, and a partner an octave up.
    """
    found = {start.name: start for start in measured_starts(Sheet(tonic="Bb", bpm=126), "kick", KICK)}
    assert len(found) == len(KICKS) >= 4
    lengths = {name: start.length_ms or 0 for name, start in found.items()}
    assert sorted(lengths, key=lambda name: lengths[name])[-2:] == ["Dredger", "Hawser"]
    assert 700 < lengths.pop("Hawser") <= 900
    assert 400 < lengths.pop("Dredger") <= 700
    assert max(lengths.values()) < 0.6 * 60_000 / 126
    for start in found.values():
        zones = {name: level for name, level in start.zones.items() if level is not None}
        assert start.strongest_zone == max(zones, key=lambda name: zones[name])
        assert start.strongest_zone in {"sub", "weight"}
        assert start.length_beats == pytest.approx((start.length_ms or 0) * 126 / 60_000)
    assert len({tuple(round(v or 0) for v in start.zones.values()) for start in found.values()}) == len(found)


def _sound(start: MeasuredStart) -> RenderedHit:
    hit = start.hit.model_copy(update={"kick": KICK if start.role == "rumble" else None})
    return render_hit(hit, sample_rate=RATE, bpm=126)


@pytest.mark.parametrize("role", get_args(Role))
def test_every_start_of_a_role_is_as_loud_as_the_others_and_under_full_scale(role: Role) -> None:
    loud, peaks = {}, {}
    for start in measured_starts(Sheet(tonic="Bb", bpm=126), role, KICK):
        sound = _sound(start)
        loud[start.name] = _k_weighted_db(sound.mono)
        peaks[start.name] = 20 * np.log10(np.max(np.abs(soxr.resample(sound.audio.T, RATE, 8 * RATE, "VHQ"))))
    assert max(loud.values()) - min(loud.values()) <= 0.5, loud
    assert max(peaks.values()) <= -1, peaks


def _k_weighted_db(sound: np.ndarray) -> float:
    """ITU-R BS.1770-5, annex 1, tables 1 and 2: the coefficients as printed, for 48 kHz."""
    shelf = [1.53512485958697, -2.69169618940638, 1.19839281085285, 1, -1.69065929318241, 0.73248077421585]
    high = [1.0, -2.0, 1.0, 1.0, -1.99004745483398, 0.99007225036621]
    return float(10 * np.log10(np.sum(scipy.signal.sosfilt([shelf, high], sound) ** 2)))


@pytest.mark.parametrize("role", get_args(Role))
def test_no_two_starts_of_a_role_are_near_copies(role: Role) -> None:
    """3 dB rms over the third octaves that either has, or a third in length (this project's choice)."""
    found = []
    for start in measured_starts(Sheet(tonic="Bb", bpm=126), role, KICK):
        energies = band_energies(_sound(start).mono, sample_rate=RATE)
        bands = 10 * np.log10(np.array(list(energies.values())) / sum(energies.values()))
        found.append((start, np.maximum(bands, -60)))
    for (one, a), (other, b) in combinations(found, 2):
        heard = np.maximum(a, b) > max(a.max(), b.max()) - 40
        apart_db = float(np.sqrt(np.mean((a - b)[heard] ** 2)))
        longer = max(one.length_ms or 1, other.length_ms or 1) / min(one.length_ms or 1, other.length_ms or 1)
        assert apart_db >= 3 or longer >= 4 / 3, (one.name, other.name, apart_db, longer)


def test_a_start_is_like_recorded_drums_or_says_what_is_not() -> None:
    declared = {start.name for start in STARTS if start.synthetic}
    said = {start.name: start.unlike for role in get_args(Role) for start in measured_starts(Sheet(tonic="Bb"), role, KICK)}
    assert {name for name, words in said.items() if words} == declared
    # Most of the drums are like recorded ones, and of no role all are not.
    assert len(declared) <= len(STARTS) / 8


@pytest.mark.parametrize("part", ["kick", "clap", "hat", "tom"])
def test_a_start_in_place_of_a_sound_keeps_its_level_in_the_loop(part: str, solved: Track) -> None:
    """By a meter of the trial's own, on the stem: K-weighted energy of the part before and after."""
    track = with_kit(solved)
    # A sound of one's own making, 9 dB under where it began.
    own = track.part(part).hit
    quiet = tuple(layer.model_copy(update={"gain_db": layer.gain_db - 9}) for layer in own.layers)
    track = track.with_part(part, hit=own.model_copy(update={"layers": quiet}), gain_db=-10)
    before = _k_weighted_db(_stroke(track, part))
    for start in measured_starts(track.sheet, track.part(part).role, KICK):
        done = StartFrom(part=part, hit=start.hit, name=start.name).done(track)
        assert _k_weighted_db(_stroke(done.track, part)) == pytest.approx(before, abs=0.15), start.name
        assert done.track.part(part).gain_db != -10
        assert "its level in the loop stays" in done.said[0]
    # Nothing to be level with: the sound as it is, and nothing said.
    silent = track.with_part(part, hit=own.model_copy(update={"layers": ()}))
    done = StartFrom(part=part, hit=own, name="Own").done(silent)
    assert (done.said, done.track.part(part).gain_db) == ((), -10)


def _stroke(track: Track, part: str) -> np.ndarray:
    one = track.hit_of(part)
    return render_hit(one.hit, sample_rate=RATE, bpm=track.sheet.bpm).mono * 10 ** (one.gain_db / 20)
