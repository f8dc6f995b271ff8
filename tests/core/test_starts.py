"""Starting points: in tune with whatever track chooses them, all different, and what common practice says of kicks."""

from __future__ import annotations

from typing import get_args

import pytest

from juglant.core.hit.render import render_hit
from juglant.core.hit.start_kicks import KICKS
from juglant.core.hit.starts import HIGHEST_HZ, LOWEST_HZ, STARTS, MeasuredStart, kick_tonic_hz, measured_starts
from juglant.core.measure.bands import band_energies, zone_energies
from juglant.core.model.ids import Role
from juglant.core.model.sheet import Sheet
from juglant.core.music.notes import cents_between
from juglant.core.music.scales import TONICS, nearest_scale_note, pitch_class

KICK = KICKS[0].hit
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


def test_there_are_four_of_every_role_each_measured_and_playable() -> None:
    sheet = Sheet(tonic="Bb", bars=4)
    names = set()
    for role in get_args(Role):
        found = measured_starts(sheet, role, KICK)
        assert len(found) >= 4, role
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
    hats above 5 kHz; skins ring under a second.
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
            energy = zone_energies(render_hit(hat.hit, sample_rate=48000).mono, sample_rate=48000)
            assert energy["top"] > 0.9 * sum(energy.values()), hat.name
            assert _strongest_band_hz(hat) > 5000, hat.name
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
    """Common practice (ranges): about half a beat where a kick is on every beat, up to 700 ms where it is the bass."""
    found = {start.name: start for start in measured_starts(Sheet(tonic="Bb", bpm=126), "kick", KICK)}
    assert len(found) == len(KICKS) >= 4
    lengths = {name: start.length_ms or 0 for name, start in found.items()}
    assert sorted(lengths, key=lambda name: lengths[name])[-1] == "Dredger"
    assert 400 < lengths.pop("Dredger") <= 700
    assert max(lengths.values()) < 0.6 * 60_000 / 126
    for start in found.values():
        zones = {name: level for name, level in start.zones.items() if level is not None}
        assert start.strongest_zone == max(zones, key=lambda name: zones[name])
        assert start.strongest_zone in {"sub", "weight"}
        assert start.length_beats == pytest.approx((start.length_ms or 0) * 126 / 60_000)
    assert len({tuple(round(v or 0) for v in start.zones.values()) for start in found.values()}) == len(found)


@pytest.mark.parametrize("start", STARTS, ids=lambda start: start.name)
def test_they_leave_room_under_full_scale(start: object) -> None:
    hit = start.hit.model_copy(update={"kick": KICK})
    audio = render_hit(hit, sample_rate=48000).audio
    assert 0.3 < abs(audio).max() < 10 ** (3 / 20)
