"""Clearance by hand-made cells, and the carve: its limits, its goal, and that what is promised is rendered."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal as dsp
from support import sheet_with

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.loop.render import render_stems
from juglant.core.measure.bands import LOW_CENTRES_HZ, low_band_frames
from juglant.core.model.carve import Move
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.plans.bare import without_room
from juglant.core.plans.plan import plan_carve
from juglant.core.reports.report import report
from juglant.core.separate.aims import measure_clearance
from juglant.core.separate.clearance import GOALS, find_contest, kick_clearance
from juglant.core.separate.filters import mirrored, move_sections
from juglant.core.separate.pre_ring import pre_ring

BANDS, FRAMES = len(LOW_CENTRES_HZ), 10
B50, B63, B100, B126 = 3, 4, 6, 7


def cells(level: dict[tuple[int, int], float]) -> np.ndarray:
    out = np.full((BANDS, FRAMES), 1e-12)
    for (band, frame), energy in level.items():
        out[band, frame] = energy
    return out


def test_clearance_is_energy_over_energy_in_the_active_cells_of_the_judged_bands() -> None:
    # The kick is active in frames 0 and 1 (frame 2 is 20 dB under its peak); the bass also sounds elsewhere.
    kick = cells({(B50, 0): 1.0, (B50, 1): 0.5, (B50, 2): 0.01, (B126, 0): 0.9})
    bass = cells({(B50, 0): 0.2, (B50, 1): 0.1, (B50, 7): 5.0, (B126, 0): 0.9})
    contest = find_contest(kick, bass, "kick")
    assert contest.judged_bands == [B50]
    assert contest.contested[B126]  # contested, but over the split of 100 Hz
    assert contest.active[B50].tolist()[:3] == [True, True, False]
    found = measure_clearance(
        Sheet(),
        contest,
        kick_before=kick,
        bass_before=bass,
        kick=kick,
        bass_unducked=bass * 0.5,
        bass=bass * 0.1,
        kick_unducked=kick,
    )
    assert found.carved_db == pytest.approx(found.before_db + 3.01, abs=0.01)
    assert found.before_db == pytest.approx(10 * np.log10(1.5 / 0.3))
    assert found.after_db == pytest.approx(found.before_db + 10)
    assert found.short_db == 0


@pytest.mark.parametrize(
    ("owner", "clearance_db", "short_db"),
    [("kick", 7, 3), ("kick", 12, 0), ("shared", 5, 1), ("kick-is-bass", 10, 5), ("bass", -4, 6), ("bass", -11, 0)],
)
def test_goals_by_owner(owner: str, clearance_db: float, short_db: float) -> None:
    assert GOALS[owner].short_db(clearance_db) == pytest.approx(short_db)  # type: ignore[index]


@pytest.mark.parametrize(
    ("kick", "bass", "says"),
    [
        (cells({}) * 0, cells({(B50, 0): 1}), "no kick"),
        (cells({(B50, 0): 1}), cells({}) * 0, "no bass"),
        (cells({(B50, 0): 1.0}), cells({(B126, 0): 1.0}), "do not meet"),
        (cells({(B63, 0): 1.0}), cells({(B63, 0): 0.001}), "do not meet"),  # 30 dB under the highest peak
    ],
)
def test_nothing_contested_is_said(kick: np.ndarray, bass: np.ndarray, says: str) -> None:
    contest = find_contest(kick, bass, "kick")
    assert contest.reason is not None
    assert says in contest.reason
    assert kick_clearance(kick, bass, contest) is None


def test_a_loop_of_two_tones_measures_their_level_difference() -> None:
    """A whole path with a known answer: equal tones at 50.12 Hz, 6.02 dB apart."""
    time = np.arange(48000) / 48000
    tone = np.sin(2 * np.pi * 50 * time)
    kick, bass = low_band_frames(tone, sample_rate=48000), low_band_frames(0.5 * tone, sample_rate=48000)
    assert kick_clearance(kick, bass, find_contest(kick, bass, "kick")) == pytest.approx(6.02, abs=0.01)


@pytest.fixture(scope="module", params=["kick", "shared", "kick-is-bass", "bass"])
def carved(request: pytest.FixtureRequest, untouched: Track) -> tuple[Track, Track, object]:
    bare = sheet_with(untouched, owner=request.param)
    track, plan, _ = plan_carve(bare)
    return bare, track, plan


def test_the_carve_keeps_its_limits(carved: tuple[Track, Track, object]) -> None:
    _, track, _ = carved
    assert 1 <= len(track.carve.moves) <= 3
    frequency = np.geomspace(min(note_hz(note.note, 440) for note in track.notes()), 20000, 2000)
    _, gain = dsp.sosfreqz(move_sections(track.carve.moves, sample_rate=48000), frequency, fs=48000)
    gain_db = 20 * np.log10(np.abs(gain))
    # Figures are rounded when they are written into the description: a twentieth of a dB.
    assert gain_db.max() <= 0.3
    assert gain_db.min() >= -6.05 or track.carve.moves[0].shape == "high-pass"


def test_the_carve_does_not_pass_its_goal(carved: tuple[Track, Track, object]) -> None:
    _, track, _ = carved
    found = analyse(track)
    goal = found.clearance.goal
    assert found.clearance.before_db is not None
    assert found.clearance.after_db is not None
    sign = 1 if goal.kind == "at_least" else -1
    # It moves towards the goal and by at most half a dB past it (method), a tenth for rounding.
    assert sign * (found.clearance.after_db - found.clearance.before_db) > 1
    assert sign * (found.clearance.after_db - goal.db) <= 0.6


def test_what_the_plan_promises_is_what_is_rendered(carved: tuple[Track, Track, object]) -> None:
    _, track, plan = carved
    reached = analyse(track).clearance.after_db
    assert reached == pytest.approx(plan.clearance_db, abs=0.1)  # type: ignore[attr-defined]


def test_notes_outside_the_judged_bands_are_spared(carved: tuple[Track, Track, object]) -> None:
    bare, track, _ = carved
    if track.sheet.owner == "bass":
        return
    contest = analyse(bare).contest
    spans = [(LOW_CENTRES_HZ[i] / 10**0.05, LOW_CENTRES_HZ[i] * 10**0.05) for i in contest.judged_bands]
    for number in {note.note for note in track.notes()}:
        hz = note_hz(number, 440)
        if any(low <= hz <= high for low, high in spans):
            continue
        _, gain = dsp.sosfreqz(move_sections(track.carve.moves, sample_rate=48000), [hz], fs=48000)
        assert 20 * np.log10(abs(gain[0])) >= -1.05


def test_where_the_kick_owns_60_hz_the_bass_is_rolled_off_about_there(untouched: Track) -> None:
    """Common practice: bass softly rolled off at 60-65 Hz where the kick holds 60."""
    track, _, _ = plan_carve(untouched)
    _, gain = dsp.sosfreqz(move_sections(track.carve.moves, sample_rate=48000), [50, 60, 65, 250], fs=48000)
    gain_db = 20 * np.log10(np.abs(gain))
    assert gain_db[:3].mean() < -3
    assert gain_db[3] > gain_db[:3].mean() + 3


def test_undoing_the_room_gives_the_track_before(solved: Track, found: Analysis) -> None:
    bare = without_room(solved)
    stems = render_stems(bare)
    assert np.array_equal(stems.bass, found.stems.bass_before)
    assert np.array_equal(stems.kick, found.stems.kick_before)


def test_no_carve_without_a_clash(untouched: Track) -> None:
    alone = untouched.having(bass_notes=())
    track, plan, reason = plan_carve(alone)
    assert track == alone
    assert plan is None
    assert "no bass" in reason


@pytest.mark.parametrize("owner", ["kick", "bass"])
def test_at_linear_phase_sizes_are_the_same_and_nothing_is_moved(untouched: Track, owner: str) -> None:
    bare = untouched.model_copy(update={"carve": untouched.carve.model_copy(update={"floor_on": False})})
    track, plan, _ = plan_carve(sheet_with(bare, owner=owner))
    linear = track.model_copy(update={"carve": track.carve.model_copy(update={"phase": "linear"})})
    part = "kick" if owner == "bass" else "bass"
    before, minimum, level = (
        getattr(stems, name)
        for stems, name in (
            (render_stems(track), f"{part}_before"),
            (render_stems(track), part),
            (render_stems(linear), part),
        )
    )
    spectra = [np.abs(np.fft.rfft(x)) for x in (before, minimum, level)]
    loud = (spectra[0] > 1e-3 * spectra[0].max()) & (np.fft.rfftfreq(before.size, 1 / 48000) > 20)
    # The same size of response, by scipy's own; and no turn: the product with the sound before is real.
    _, response = dsp.sosfreqz(
        move_sections(track.carve.moves, sample_rate=48000), np.fft.rfftfreq(before.size, 1 / 48000)[loud], fs=48000
    )
    assert spectra[2][loud] / spectra[0][loud] == pytest.approx(np.abs(response), rel=1e-6)
    turn = np.angle(np.fft.rfft(level)[loud] / np.fft.rfft(before)[loud])
    assert np.max(np.abs(turn)) < 1e-6
    assert plan is not None
    # Planned at linear phase it is judged at linear phase.
    again, promised, _ = plan_carve(linear)
    assert promised is not None
    assert analyse(again).clearance.after_db == pytest.approx(promised.clearance_db, abs=0.1)


def test_what_rings_ahead_is_measured_and_only_at_linear_phase(untouched: Track) -> None:
    track, _, _ = plan_carve(untouched)
    linear = track.model_copy(update={"carve": track.carve.model_copy(update={"phase": "linear"})})
    said = [report(analyse(one), []).carve for one in (track, linear)]
    assert said[0].pre_ring_db is None
    ms, db = said[1].pre_ring_ms, said[1].pre_ring_db
    assert ms is not None
    assert db is not None
    assert 5 < ms < 400
    # By hand: a bell of 12 dB and Q 4 at 100 Hz decays by 60 dB in 6.9 Q / (pi f) = 88 ms, and rings as long ahead.
    sections = move_sections((Move(frequency_hz=100, gain_db=-9, q=4),), sample_rate=48000)
    click = np.zeros(4800)
    click[0] = 1
    one = pre_ring(click, sections, sample_rate=48000)
    assert one is not None
    # The mirrored response: half of what it adds to the click stands ahead.
    impulse = np.fft.irfft(np.abs(dsp.sosfreqz(sections, 48001, whole=False, fs=48000)[1]), 96000)
    ahead = np.sum(impulse[-24000:] ** 2) / np.sum(impulse**2)
    assert one.level_db == pytest.approx(10 * np.log10(ahead), abs=0.1)


@pytest.mark.parametrize("owner", ["kick", "shared"])
def test_the_owner_is_lifted_where_the_yielder_is_cut_and_less_is_cut_for_it(untouched: Track, owner: str) -> None:
    plain, alone, _ = plan_carve(sheet_with(untouched, owner=owner))
    asked = sheet_with(untouched, owner=owner)
    asked = asked.model_copy(update={"carve": asked.carve.model_copy(update={"mirror_pct": 100})})
    made, plan, _ = plan_carve(asked)
    assert plan is not None
    assert alone is not None
    lifted = move_sections(mirrored(made), sample_rate=48000)
    _, gain = dsp.sosfreqz(lifted, np.geomspace(20, 2000, 800), fs=48000)
    gain_db = 20 * np.log10(np.abs(gain))
    assert gain_db.max() <= 3.1
    assert gain_db.max() > 1
    # As near the goal or nearer, for as little loudness of the yielder or less.
    goal = analyse(made).clearance.goal
    reached = [goal.short_db(analyse(track).clearance.after_db or 0.0) for track in (plain, made)]
    assert reached[1] <= reached[0] + 0.3
    assert reached[1] < reached[0] - 1 or plan.loudness_lost_lu < alone.loudness_lost_lu
    before, after = (render_stems(track).kick for track in (plain, made))
    assert np.sum(after**2) > 1.1 * np.sum(before**2)


def test_the_kicks_own_pass_rolls_off_and_rings_at_its_corner(untouched: Track) -> None:
    carve = untouched.carve.model_copy(update={"kick_pass_on": True, "kick_pass_hz": 50, "kick_pass_q": 2})
    track = untouched.model_copy(update={"carve": carve})
    before, after = (np.abs(np.fft.rfft(render_stems(one).kick)) for one in (untouched, track))
    frequency = np.fft.rfftfreq(render_stems(untouched).kick.size, 1 / 48000)
    for hz in (30, 50, 90, 300):
        near = (frequency > hz / 1.03) & (frequency < hz * 1.03)
        measured = 10 * np.log10(np.sum(after[near] ** 2) / np.sum(before[near] ** 2))
        # The cookbook's second-order high-pass through scipy's own design.
        w = hz / 50
        wanted = 20 * np.log10(w**2 / abs(complex(1 - w**2, w / 2)))
        assert measured == pytest.approx(wanted, abs=0.5), hz
    assert np.array_equal(render_stems(track).bass, render_stems(untouched).bass)
