"""Files that lie: damaged bundles and MIDI from a seeded mutator, floods, sounds that are missing, decoders that complain.

Whatever comes is opened, opened in part and said, or refused in plain words; nothing breaks the server, and nothing
that no track names is read or kept.
"""

from __future__ import annotations

import io
import json
import resource
import struct
import subprocess
import sys
import zipfile
from pathlib import Path
from time import process_time

import mido
import numpy as np
import pytest
import soundfile
from starlette.testclient import TestClient
from support import order, part_of

from juglant.api.app import make_app
from juglant.api.settings import Settings
from juglant.core.errors import InvalidMidi
from juglant.core.model.strokes import MOST_BASS_NOTES
from juglant.core.synth.takes import take_id
from juglant.core.tune.written import lowest_line
from juglant.formats.midi import MOST_EVENTS, read_notes
from juglant.formats.wav import wav_float

RATE = 48000
OCTETS = {"Content-Type": "application/octet-stream"}
MUTANTS = 150


@pytest.fixture
def client(tmp_path: Path) -> TestClient:
    app = make_app(Settings(tmp_path / "t.sqlite3", page=None))
    return TestClient(app, base_url="http://localhost", raise_server_exceptions=False)


def take(hz: float) -> tuple[str, bytes]:
    """A recorded sound as a bundle has it: its id and its file."""
    time = np.arange(RATE // 2) / RATE
    audio = (0.5 * np.sin(2 * np.pi * hz * time) * np.exp(-8 * time)).astype(np.float32).astype(float)[None]
    return take_id(audio, RATE), wav_float(audio, RATE)


def bundle_of(client: TestClient, takes: dict[str, bytes], used: list[str]) -> bytes:
    """A zip with these takes, and a track whose kick is made of some of them."""
    track = client.post("/api/tracks", json={"start": "untouched"}).json()["track"]
    sources = [{"engine": "take", "take": one} for one in used]
    part_of(track, "kick")["hit"]["layers"] = [
        {"id": f"t{i}", "name": f"Found {i}", "source": one} for i, one in enumerate(sources)
    ]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("track.json", json.dumps(track))
        for name, data in takes.items():
            archive.writestr(f"takes/{name}.wav", data)
    return out.getvalue()


def load(client: TestClient, data: bytes):  # type: ignore[no-untyped-def]
    return client.post("/api/tracks/load", content=data, headers=OCTETS)


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """Bytes changed, cut out, doubled or cut off, as a broken copy has them."""
    out = bytearray(data)
    for _ in range(int(rng.integers(1, 6))):
        at, kind = int(rng.integers(len(out))), int(rng.integers(4))
        span = int(rng.integers(1, 40))
        if kind == 0:
            out[at] = int(rng.integers(256))
        elif kind == 1:
            del out[at : at + span]
        elif kind == 2:
            out[at:at] = out[at : at + span]
        else:
            out = out[: max(1, at)] if rng.integers(4) == 0 else out
    return bytes(out)


def test_damaged_bundles_break_nothing(client: TestClient) -> None:
    (one, one_file), (other, other_file) = take(60), take(80)
    data = bundle_of(client, {one: one_file, other: other_file}, [one, other])
    rng, opened = np.random.default_rng(15), 0
    for _ in range(MUTANTS):
        answer = load(client, mutated(data, rng))
        assert answer.status_code in (201, 422), answer.text
        opened += answer.status_code == 201
        if answer.status_code == 422:
            assert answer.json()["detail"]
    # Some are broken in a take alone: that does not keep the rest of the track away.
    assert opened > MUTANTS // 20


def test_one_damaged_take_is_left_out_and_named_and_the_rest_opens(client: TestClient) -> None:
    # Sounds of this test's own: what any database of this process has is found.
    (one, one_file), (other, other_file) = take(63), take(83)
    data = bytearray(bundle_of(client, {one: one_file, other: other_file}, [one, other]))
    with zipfile.ZipFile(io.BytesIO(bytes(data))) as archive:
        info = archive.getinfo(f"takes/{one}.wav")
    start = info.header_offset + 30 + len(info.filename)
    data[start + 200 : start + 260] = bytes(60)
    answer = load(client, bytes(data))
    assert answer.status_code == 201
    state = answer.json()
    assert [one["id"] for one in client.get("/api/takes").json()] == [other]
    assert len(state["said"]) == 1
    assert f"takes/{one}.wav" in state["said"][0]
    assert "the layer Found 0 of Kick" in state["said"][0]
    view = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/view").json()
    missing = [found for found in view["report"]["findings"] if found["id"].startswith("take-missing")]
    assert [f"takes/{one}.wav" in found["reason"] for found in missing] == [True]


def test_what_no_track_names_is_not_read_or_kept(client: TestClient, tmp_path: Path) -> None:
    used, file = take(60)
    # Fifty sounds of silence, 10 MB each and next to nothing as they are packed.
    silence = wav_float(np.zeros((2, 1_250_000)), RATE)
    names = {f"{number:024x}": silence for number in range(1, 51)}
    data = bundle_of(client, {**names, used: file}, [used])
    assert len(data) < 2_000_000
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    answer = load(client, data)
    assert answer.status_code == 201
    assert [one["id"] for one in client.get("/api/takes").json()] == [used]
    assert (tmp_path / "t.sqlite3").stat().st_size < 2_000_000
    # In KB: no more than what one track takes.
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 100_000


def test_more_sound_than_is_taken_at_once_is_refused_before_it_is_read(client: TestClient, tmp_path: Path) -> None:
    silence = wav_float(np.zeros((2, 6_000_000)), RATE)
    names = [f"{number:024x}" for number in range(1, 12)]
    data = bundle_of(client, dict.fromkeys(names, silence), names)
    began = process_time()
    answer = load(client, data)
    assert answer.status_code == 422
    assert "528 MB and at most 500 MB" in answer.json()["detail"]
    assert process_time() - began < 2
    assert (tmp_path / "t.sqlite3").stat().st_size < 2_000_000


def midi(notes: list[tuple[float, float, int]], *more: mido.MetaMessage) -> bytes:
    """Notes of (start, length) in beats, 480 ticks each."""
    events = sorted(
        event
        for start, length, note in notes
        for event in ((round(480 * start), "note_on", note), (round(480 * (start + length)), "note_off", note))
    )
    part, now = mido.MidiTrack(more), 0
    for tick, kind, note in events:
        part.append(mido.Message(kind, note=note, velocity=90, time=tick - now))
        now = tick
    out = io.BytesIO()
    mido.MidiFile(tracks=[part], ticks_per_beat=480).save(file=out)
    return out.getvalue()


def odd_key() -> bytes:
    known = midi([(0, 1, 46)], mido.MetaMessage("key_signature", key="Bbm"))
    return known.replace(b"\xff\x59\x02\xfb\x01", b"\xff\x59\x02\x63\x07")


MIDI_FILES: dict[str, tuple[bytes, int]] = {
    "a note of 64 beats and a tick": (midi([(0, 64 + 1 / 480, 46)]), 1),
    "a note at 63.99997": (midi([(0, 1, 46), (63.99997, 1, 46)]), 1),
    "a note over the end": (midi([(63, 500, 46)]), 1),
    "an unknown key signature": (odd_key(), 1),
    "notes that never end": (midi([(0, 1, 46)])[:-8] + b"\x00\xff\x2f\x00", 1),
    "more notes than a line has": (midi([(i / 16, 1 / 32, 40 + i % 3) for i in range(1000)]), MOST_BASS_NOTES),
}


@pytest.mark.parametrize("name", MIDI_FILES)
def test_odd_midi_is_read_as_a_line(name: str, client: TestClient) -> None:
    data, most = MIDI_FILES[name]
    answer = client.post("/api/key", params={"a4_hz": 440}, content=data, headers=OCTETS)
    assert answer.status_code in (200, 422), answer.text
    if answer.status_code == 200:
        assert 1 <= len(answer.json()["line"]) <= most
    else:
        assert name == "notes that never end"


def test_an_unknown_key_signature_is_no_matter() -> None:
    assert b"\xff\x59\x02\x63\x07" in odd_key()
    assert read_notes(odd_key()) == [(0.0, 1.0, 46)]


def test_damaged_midi_breaks_nothing(client: TestClient) -> None:
    data = midi([(i / 2, 0.4, 40 + i % 12) for i in range(64)], mido.MetaMessage("key_signature", key="Bbm"))
    rng = np.random.default_rng(16)
    for _ in range(MUTANTS):
        answer = client.post("/api/key", params={"a4_hz": 440}, content=mutated(data, rng), headers=OCTETS)
        assert answer.status_code in (200, 422), answer.text


def test_a_flood_of_events_is_counted_before_it_is_read() -> None:
    body = (b"\x00\x90\x30\x40" + b"\x00\x30\x00" * 600_000) + b"\x00\xff\x2f\x00"
    data = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 480) + b"MTrk" + struct.pack(">I", len(body)) + body
    assert len(data) > 1_800_000
    began = process_time()
    with pytest.raises(InvalidMidi, match=f"more than {MOST_EVENTS} events"):
        read_notes(data)
    # It took sixteen seconds when all of it was built first: an order under that, on any machine.
    assert process_time() - began < 1.6


@pytest.mark.parametrize("start", [0.0, 63.99, 63.99996, 64.0, 1000.0])
@pytest.mark.parametrize("length", [1e-9, 1.0, 64.0, 64.1, 1e6])
def test_any_note_is_a_note_of_the_line_or_left_out(start: float, length: float) -> None:
    line = lowest_line([(start, length, 40)])
    assert len(line) == (start < 63.99995)
    for note in line:
        assert 0 <= note.at_beats < 64
        assert 0 < note.length_beats <= 64


def test_a_decoder_that_complains_does_so_in_its_answer_alone() -> None:
    time = np.arange(RATE) / RATE
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(2 * np.pi * 60 * time), RATE, format="MP3")
    rng = np.random.default_rng(1)
    files = []
    for _ in range(20):
        data = bytearray(out.getvalue())
        for at in rng.integers(0, len(data), 20):
            data[at] = rng.integers(256)
        files.append(bytes(data[: rng.integers(300, len(data))]).hex())
    work = """
import sys
from juglant.core.errors import InvalidAudio
from juglant.formats.takes import read_take
for line in sys.stdin:
    try:
        read_take(bytes.fromhex(line), from_s=None, channels="as they are")
    except InvalidAudio:
        pass
sys.stderr.write("done")
"""
    done = subprocess.run(
        [sys.executable, "-c", work], input="\n".join(files), capture_output=True, text=True, env={"PYTHONPATH": "src"}
    )
    # The terminal is back once the decoder is done with it.
    assert done.stderr == "done"


def test_a_missing_sound_is_named_wherever_it_counts(client: TestClient, tmp_path: Path) -> None:
    missing, _ = take(61)
    track = client.post("/api/tracks", json={"start": "untouched"}).json()["track"]
    part_of(track, "bass")["instrument"] |= {"source": "recorded line", "take": missing}
    folder = tmp_path / "track"
    folder.mkdir()
    (folder / "track.json").write_text(json.dumps(track))
    named = f"takes/{missing}.wav is missing, the sound of the bass"
    # The command line, planning: nothing is computed of silence.
    plan = _command("plan", str(folder / "track.json"), "--out", str(folder / "out.json"))
    assert (plan.returncode, named in plan.stderr, (folder / "out.json").exists()) == (1, True, False)
    assert "no bass" not in plan.stderr + plan.stdout
    # The command line, rendering: the rest is written, and what is silent is said.
    render = _command("render", str(folder / "track.json"), "--out", str(folder / "files"))
    assert (render.returncode, named in render.stderr) == (0, True)
    assert (folder / "files" / "kick.wav").is_file()
    # The page's way.
    state = load(client, (folder / "track.json").read_bytes()).json()
    for action in ("carve", "duck", "room"):
        body = order(state["edition"], action)
        answer = client.post(f"/api/tracks/{state['id']}/commands", json=body)
        assert (answer.status_code, named in answer.json()["detail"]) == (422, True)
    assert client.get(f"/api/tracks/{state['id']}").json()["edition"] == state["edition"]
    view = client.get(f"/api/tracks/{state['id']}/revisions/{state['revision']}/view").json()
    reasons = [one["reason"] for one in view["report"]["findings"]]
    assert any(f"takes/{missing}.wav is not here: the bass is silent" in one for one in reasons)


def _command(*arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "juglant.cli", *arguments], capture_output=True, text=True, env={"PYTHONPATH": "src"}
    )


def test_takes_are_listed_from_what_was_stored_of_them(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    _, file = take(62)
    loaded = client.post("/api/takes", params={"name": "one.wav"}, content=file, headers=OCTETS).json()

    def read(*_: object) -> None:
        raise AssertionError("a list reads no sound")

    monkeypatch.setattr("juglant.services.takes.Shelf.find", read)
    shelf = {"tags": [], "tracks": [], "kept": [], "made_of": None, "changed": False}
    assert client.get("/api/takes").json() == [{**loaded, "notes": [], **shelf}]
