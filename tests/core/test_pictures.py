"""Pictures are drawn from the rendered audio: each is checked against samples or measurements, none against a setting."""

from __future__ import annotations

import numpy as np
import pytest

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.hit.render import render_layer
from juglant.core.model.carve import Carve, Move
from juglant.core.model.duck import Duck
from juglant.core.model.hit import Hit
from juglant.core.model.track import Track
from juglant.core.music.notes import cents_between
from juglant.core.music.scales import scale_classes
from juglant.core.pictures.layers import HitPicture, draw_hit
from juglant.core.pictures.room import draw_carve, draw_clash, draw_duck
from juglant.core.pictures.strip import draw_strip
from juglant.core.separate.filters import move_sections
from juglant.core.signal.filters import response


def test_the_kick_falls_and_lands_on_its_measured_note_in_every_stroke(found: Analysis) -> None:
    kicks = [ribbon for ribbon in draw_strip(found).ribbons if ribbon.part == "kick"]
    assert len(kicks) == len(found.track.kicks())
    landing_hz = found.kick.landing.landing_hz  # type: ignore[union-attr]
    for at, ribbon in zip(found.track.kicks(), kicks, strict=True):
        assert ribbon.time_beats[0] == pytest.approx(at, abs=0.03)
        assert ribbon.pitch_hz[0] > 2 * ribbon.pitch_hz[-1]
        assert abs(cents_between(ribbon.pitch_hz[-1], landing_hz)) < 1  # type: ignore[arg-type]
        assert max(ribbon.level_db) <= 0.01


def test_bass_ribbons_are_thinner_where_the_bass_is_ducked(found: Analysis) -> None:
    deeper = found.track.having(duck=found.track.duck.model_copy(update={"depth_db": 18.0}))
    ribbons = [[r for r in draw_strip(one).ribbons if r.part == "bass"] for one in (found, analyse(deeper))]
    assert len(ribbons[0]) == len(found.track.notes())
    # The first note starts with a kick; a note in a gap keeps its level.
    drop = [min(r.level_db[3:-3]) for r in (ribbons[0][0], ribbons[1][0])]
    assert drop[1] < drop[0] - 8
    gap = [np.median(r[2].level_db) for r in ribbons]
    assert abs(gap[0] - gap[1]) < 2


def test_both_sides_are_drawn_on_one_scale(found: Analysis, found_untouched: Analysis) -> None:
    # What carve and duck took is the difference of the two; an untouched track has that of its floor filter.
    def taken(one: Analysis) -> list[np.ndarray]:
        return [np.array(r.before_db) - np.array(r.level_db) for r in draw_strip(one).ribbons if r.part == "bass"]

    assert max(np.max(one) for one in taken(found)) > 6
    assert max(np.max(np.abs(one)) for one in taken(found_untouched)) < 2.5
    every = [db for one in draw_strip(found).ribbons for db in (*one.level_db, *one.before_db)]
    assert max(every) <= 0.01
    assert sum(one.to_beats - one.from_beats for one in draw_strip(found).fights_before) > sum(
        one.to_beats - one.from_beats for one in draw_strip(found).fights
    )


def test_rungs_are_the_notes_of_the_key_with_its_spelling(found: Analysis) -> None:
    rungs = draw_strip(found).rungs
    sheet = found.track.sheet
    assert {rung.note % 12 for rung in rungs} == scale_classes(sheet.tonic, sheet.scale)
    assert {rung.name[:-1] for rung in rungs if rung.tonic} == {"Bb"}
    assert all(rung.frequency_hz == pytest.approx(440 * 2 ** ((rung.note - 69) / 12), rel=1e-5) for rung in rungs)


def test_fights_go_where_the_room_is_made(found: Analysis, found_untouched: Analysis) -> None:
    def beats(one: Analysis) -> float:
        return sum(fight.to_beats - fight.from_beats for fight in draw_strip(one).fights)

    assert beats(found_untouched) > 2 * beats(found) > 0


def drawn_kick(found: Analysis) -> HitPicture:
    return draw_hit(found.track.kick, found.kick_hit, sample_rate=48000, bpm=found.track.sheet.bpm)


def test_waveforms_are_the_samples_and_the_sum_is_the_sum(found: Analysis) -> None:
    picture = drawn_kick(found)
    assert [layer.id for layer in picture.layers] == [layer.id for layer in found.track.kick.layers]
    for layer, drawn in zip(found.track.kick.layers, picture.layers, strict=True):
        audio = render_layer(layer, sample_rate=48000)
        assert max(drawn.high) == pytest.approx(audio.max(), abs=1e-3)
        assert min(drawn.low) == pytest.approx(audio.min(), abs=1e-3)
    assert max(picture.sum.high) == pytest.approx(found.kick_hit.audio.max(), abs=1e-3)
    assert [layer.job for layer in picture.layers] == ["click", "body", "tail"]
    # The tail is one note: its strongest band is the one that holds its landing.
    strongest = picture.centres_hz[int(np.argmax(picture.layers[2].bands_db))]
    assert abs(np.log2(strongest / 58.27)) < 1 / 6


def test_a_muted_layer_is_drawn_but_not_summed(solved: Track) -> None:
    layers = [layer.model_copy(update={"muted": layer.id == "body"}) for layer in solved.kick.layers]
    picture = drawn_kick(analyse(solved.having(kick=Hit(layers=tuple(layers)))))
    assert max(picture.layers[1].high) > 0.5
    assert max(picture.sum.high) < 0.75 * max(picture.layers[1].high)


def test_the_clash_map_is_kick_over_bass_in_the_active_cells(found: Analysis) -> None:
    picture = draw_clash(found)
    active = found.contest.active
    for name, kick, bass in (
        ("before_db", found.table.kick_before, found.table.bass_before),
        ("after_db", found.table.kick, found.table.bass),
    ):
        cells = getattr(picture, name)
        assert np.array_equal(np.array([[cell is not None for cell in row] for row in cells]), active)
        row, frame = np.argwhere(active)[len(np.argwhere(active)) // 2]
        assert cells[row][frame] == pytest.approx(10 * np.log10(kick[row, frame] / bass[row, frame]), abs=0.06)


@pytest.mark.parametrize("shape", ["bell", "low shelf", "high shelf", "high-pass"])
def test_the_drawn_response_is_what_the_sound_goes_through(shape: str, untouched: Track) -> None:
    moves = (Move(shape=shape, frequency_hz=70, gain_db=-6, q=0.9),)  # type: ignore[arg-type]
    picture = draw_carve(analyse(untouched.model_copy(update={"carve": Carve(on=True, moves=moves)})))
    frequency = np.array(picture.frequency_hz)
    exact = 20 * np.log10(np.abs(response(move_sections(moves, sample_rate=48000), frequency, sample_rate=48000)))
    inside = exact > -40
    assert np.max(np.abs(np.array(picture.sum_db) - exact)[inside]) < 0.02
    # The bass's own spectrum moved by it, where it has one.
    loud = np.array(picture.bass_before_db) > -20
    moved = (np.array(picture.bass_after_db) - np.array(picture.bass_before_db))[loud]
    there = np.interp(np.array(picture.spectrum_hz)[loud], frequency, exact)
    assert np.median(np.abs(moved - there)) < 0.5


def test_the_duck_is_drawn_as_it_was_applied(found: Analysis) -> None:
    picture = draw_duck(found)
    assert picture is not None
    duck = found.track.duck
    assert min(picture.gain_db) == pytest.approx(-duck.depth_db, abs=0.01)
    at_s = (picture.stroke_beats * 60 / 126 + np.array(picture.gain_ms) / 1000) % found.rows.at_s[-1]
    assert np.max(np.abs(np.interp(at_s, found.rows.at_s, found.rows.gain_db) - np.array(picture.gain_db))) < 0.05
    assert picture.active_from_ms <= 0 < picture.active_to_ms <= picture.recovery_ms
    kept = [note for note in picture.notes if note.kept]
    assert kept[0].start_ms == pytest.approx(picture.recovery_ms, abs=0.2)
    # The kick is loudest soon after its hit, and nearly gone where the bass is back.
    envelope = np.array(picture.kick_db)
    assert 0 <= picture.envelope_ms[int(np.argmax(envelope))] < 80
    assert np.interp(picture.recovery_ms, picture.envelope_ms, envelope) < -6


def test_what_is_not_there_is_not_drawn(untouched: Track) -> None:
    bare = untouched.having(kick=Hit(), duck=Duck())
    one = analyse(bare)
    assert [ribbon for ribbon in draw_strip(one).ribbons if ribbon.part == "kick"] == []
    assert drawn_kick(one).layers == ()
    assert draw_duck(one) is None
