"""The command line: strict JSON a line, honest errors, files that agree with each other."""

from __future__ import annotations

import json
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile
from support import juglant

from juglant.core.model.track import Track, track_to_json
from juglant.core.reports.report import Report
from juglant.demo.kit import with_targets
from juglant.formats.wav import wav_float

KEYS = [
    "file", "sample_rate", "channels", "onset_ms", "landing_hz", "heard_hz", "verdict", "uncertainty_cents", "also_hz",
    "note",
    "cents", "confidence", "cycles", "drift_cents_per_s", "sweep_semitones", "sweep_ms", "length_ms",
    "length_silent_ms", "t60_ms", "attack_ms", "click_db", "peak_db", "true_peak_db", "loudness_lufs", "dc", "zones",
]  # fmt: skip


def lying(claims: int) -> bytes:
    """A WAV whose header claims more than there is."""
    data = wav_float(np.zeros(100), 48000)
    at = data.index(b"data") + 4
    return data[:at] + struct.pack("<I", claims) + data[at + 4 :]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("audio")
    time = np.arange(48000) / 48000
    tone = np.sin(2 * np.pi * 58.27 * time) * np.exp(-time / 0.2)
    (path / "kick.wav").write_bytes(wav_float(tone, 48000))
    (path / "-dash.wav").write_bytes(wav_float(tone, 48000))
    (path / "silence.wav").write_bytes(wav_float(np.zeros(4800), 48000))
    (path / "one.wav").write_bytes(wav_float(np.ones(1), 48000))
    (path / "empty.wav").write_bytes(b"")
    (path / "header.wav").write_bytes(wav_float(np.zeros(0), 48000))
    (path / "nan.wav").write_bytes(wav_float(np.array([0.0, np.nan, 1.0]), 48000))
    (path / "inf.wav").write_bytes(wav_float(np.array([0.0, np.inf]), 48000))
    (path / "slow.wav").write_bytes(wav_float(np.zeros(100), 5))
    (path / "fast.wav").write_bytes(wav_float(np.zeros(100), 768_000))
    (path / "many.wav").write_bytes(wav_float(np.zeros((64, 100)), 48000))
    (path / "lying.wav").write_bytes(lying(2_000_000_000))
    (path / "cut.wav").write_bytes(wav_float(tone, 48000)[:40])
    (path / "text.wav").write_text("this is no audio")
    (path / "a folder").mkdir()
    return path


GOOD = ["kick.wav", "silence.wav", "one.wav"]
BAD = ["empty.wav", "header.wav", "nan.wav", "inf.wav", "slow.wav", "fast.wav", "many.wav", "cut.wav", "text.wav",
       "missing.wav", "a folder"]  # fmt: skip


def test_measure_answers_every_argument_in_order(folder: Path) -> None:
    names = [*GOOD, *BAD, "lying.wav"]
    done = juglant("measure", "--json", *names, cwd=folder)
    assert done.returncode == 1
    lines = [json.loads(line, parse_constant=lambda name: pytest.fail(name)) for line in done.stdout.splitlines()]
    assert [line["file"] for line in lines] == names
    for line in lines:
        if line["file"] in GOOD:
            assert list(line) == KEYS
        elif line["file"] in BAD:
            assert set(line) == {"file", "error"}
            assert len(line["error"]) > 10
    kick = lines[0]
    assert (kick["note"], kick["verdict"]) == ("Bb1", "firm")
    assert abs(kick["cents"]) < 1
    assert lines[1]["verdict"] == "none"
    assert lines[1]["peak_db"] is None


def test_measure_ends_options_and_succeeds(folder: Path) -> None:
    done = juglant("measure", "--json", "--bpm", "126", "--", "-dash.wav", cwd=folder)
    assert done.returncode == 0
    assert json.loads(done.stdout)["file"] == "-dash.wav"
    table = juglant("measure", "kick.wav", cwd=folder)
    assert table.returncode == 0
    assert "Bb1" in table.stdout


@pytest.mark.parametrize(
    "arguments",
    [["measure"], ["measure", "--tempo", "3", "x"], ["measure", "--bpm", "0", "x"], ["nothing"], ["render"],
     ["render", "x.json"], ["measure", "--bpm", "nan", "x"], ["demo", "--port", "99999"]],
)  # fmt: skip
def test_wrong_usage_is_2(arguments: list[str], folder: Path) -> None:
    done = juglant(*arguments, cwd=folder)
    assert done.returncode == 2
    assert done.stdout == ""
    assert "Error" in done.stderr or "Usage" in done.stderr


@pytest.mark.parametrize("command", ["measure", "example", "render", "bench", "demo", "serve"])
def test_help_everywhere(command: str, folder: Path) -> None:
    done = juglant(command, "--help", cwd=folder)
    assert done.returncode == 0
    assert "Usage" in done.stdout


@pytest.fixture(scope="module")
def rendered(solved: Track, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("render")
    (path / "track.json").write_text(track_to_json(solved))
    done = juglant("render", "track.json", "--out", "out", cwd=path)
    assert done.returncode == 0, done.stderr
    return path / "out"


def read(path: Path) -> np.ndarray:
    audio, rate = soundfile.read(path)
    assert rate == 48000
    return np.asarray(audio)


def test_render_writes_files_that_agree_with_each_other(rendered: Path) -> None:
    stems = {name: read(rendered / "stems" / f"{name}.wav") for name in
             ("kick", "kick-before", "bass", "bass-before", "bass-unducked")}  # fmt: skip
    frames = round(16 * 60 / 126 * 48000)
    assert {stem.size for stem in stems.values()} == {frames}
    # Sums of 32-bit floats: rounding of each to 24 bits.
    assert np.max(np.abs(read(rendered / "loop.wav") - stems["kick"] - stems["bass"])) < 2e-7
    assert np.max(np.abs(read(rendered / "loop-before.wav") - stems["kick-before"] - stems["bass-before"])) < 2e-7
    lines = (rendered / "duck-bass.csv").read_text().splitlines()
    assert lines[0] == "at_s,gain_db"
    at, gain = np.array([[float(cell) for cell in line.split(",")] for line in lines[1:]]).T
    assert at[0] == 0
    assert at[-1] >= frames / 48000
    rebuilt = stems["bass-unducked"] * 10 ** (np.interp(np.arange(frames) / 48000, at, gain) / 20)
    error = np.sqrt(np.mean((rebuilt - stems["bass"]) ** 2) / np.mean(stems["bass"] ** 2))
    assert 20 * np.log10(error) < -60
    kick = soundfile.info(rendered / "kick.wav")
    assert kick.subtype == "PCM_24"
    assert 20 * np.log10(np.max(np.abs(read(rendered / "kick.wav")))) == pytest.approx(-1, abs=0.001)
    chunk = (rendered / "kick.wav").read_bytes()
    assert struct.unpack("<II", chunk[chunk.index(b"smpl") + 20 : chunk.index(b"smpl") + 28]) == (34, 0)


def test_the_report_says_what_the_files_measure(rendered: Path, solved: Track) -> None:
    text = (rendered / "report.json").read_text()
    figures = Report.model_validate_json(text)
    assert figures.clearance.goal_db == 10
    assert figures.clearance.goal_kind == "at_least"
    assert figures.clearance.after_db == pytest.approx(10, abs=0.15)
    done = juglant("measure", "--json", "--bpm", "126", str(rendered / "kick.wav"), cwd=rendered)
    assert json.loads(done.stdout)["landing_hz"] == pytest.approx(figures.kick.landing_hz, rel=1e-4)  # type: ignore[union-attr]
    assert Track.model_validate_json((rendered / "track.json").read_text()) == solved


@pytest.mark.parametrize(("text", "says"), [("{}", "not a track"), ("", "not JSON"), (None, "No such file")])
def test_render_refuses_what_is_no_track(text: str | None, says: str, tmp_path: Path) -> None:
    if text is not None:
        (tmp_path / "t.json").write_text(text)
    done = juglant("render", "t.json", "--out", "out", cwd=tmp_path)
    assert done.returncode == 1
    assert says in done.stderr
    assert not (tmp_path / "out").exists()


def test_nothing_contested_has_null_figures_and_a_reason(untouched: Track, tmp_path: Path) -> None:
    (tmp_path / "t.json").write_text(track_to_json(untouched.having(bass_notes=())))
    assert juglant("render", "t.json", "--out", "out", cwd=tmp_path).returncode == 0
    clearance = json.loads((tmp_path / "out" / "report.json").read_text())["clearance"]
    assert (clearance["before_db"], clearance["after_db"], clearance["short_db"]) == (None, None, None)
    assert "no bass" in clearance["reason"]


def test_example_is_the_demo(untouched: Track, tmp_path: Path) -> None:
    done = juglant("example", "--untouched", cwd=tmp_path)
    assert done.returncode == 0
    example = Track.model_validate_json(done.stdout)
    assert example == with_targets(untouched)
    # At least three parts are ducked, all of them whole.
    assert len({one.id for one in example.parts if one.ducked.curves and not one.ducked.split}) >= 3
