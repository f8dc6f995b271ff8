"""Long recordings: files beside the database, of any length up to three hours, from which takes are cut.

A recording is its samples as 32-bit floats, frame by frame, and a description beside them; how long it is its size says, so
that what came before a process was killed is there. Nothing reads all of it at once.
"""

from __future__ import annotations

import os
import re
import secrets
import shutil
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from itertools import pairwise
from pathlib import Path
from typing import IO

import numpy as np
import soundfile
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juglant.core.errors import InvalidAudio
from juglant.core.hit.recorded import RECORDED
from juglant.core.measure.impacts import long_impacts
from juglant.core.measure.stereo import for_measuring
from juglant.core.memory import elsewhere, newest
from juglant.core.model.ids import Role
from juglant.core.pictures.strip import rounded
from juglant.core.progress import steps
from juglant.core.synth.take import LONGEST_MS
from juglant.core.synth.takes import ID_LENGTH, TakeAudio
from juglant.core.types import Samples
from juglant.formats.film import LONGEST_S, is_film, sound_into
from juglant.formats.quiet import quiet_decoder
from juglant.formats.takes import HIGHEST_RATE, LOWEST_RATE, NOT_AUDIO
from juglant.services.impacts import Cut, Impacts, Weighed, edged, heard_of, ranked, weighed
from juglant.services.takes import LONGEST_NAME, LoadedTake, MadeOf, Shelf, heard_wav, plain_name
from juglant.store.errors import NoRoom, NotFound

FOLDER, SAMPLES, ABOUT, PART = ".recordings", ".f32", ".json", ".part"
BYTES, MOST_CHANNELS = 4, 2
COLUMNS, BLOCK_FRAMES, HEAD_BYTES = 720, 1 << 17, 64
# So much of the disk stays free for everything else.
KEPT_FREE_BYTES = 200_000_000
NAMED = re.compile(rf"^[0-9a-f]{{{ID_LENGTH}}}$")


class Recorded(BaseModel):
    """A long recording. said: how it was recorded; away: put away, its file is there still."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    sample_rate: int
    channels: int
    duration_s: float
    created_at: str
    said: str = ""
    away: bool = False


class RecordingWave(BaseModel):
    """A stretch of a recording as it is drawn, (columns,), from one moment to another, s."""

    model_config = ConfigDict(frozen=True)
    from_s: float
    to_s: float
    duration_s: float
    low: tuple[float, ...]
    high: tuple[float, ...]


class Begun(BaseModel):
    """What is going to be recorded."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    sample_rate: int = Field(ge=LOWEST_RATE, le=HIGHEST_RATE)
    channels: int = Field(default=1, ge=1, le=MOST_CHANNELS)
    said: str = Field(default="", max_length=120)


class _About(BaseModel):
    """What is written beside the samples."""

    name: str
    sample_rate: int
    channels: int
    created_at: str
    said: str = ""
    away: bool = False


class Recordings:
    """The recordings of one database."""

    def __init__(self, database: Path) -> None:
        self.folder = database.with_name(database.name + FOLDER)

    def _paths(self, recording: str) -> tuple[Path, Path]:
        if not NAMED.match(recording):
            raise NotFound("there is no such recording")
        return self.folder / (recording + SAMPLES), self.folder / (recording + ABOUT)

    def _about(self, recording: str) -> tuple[Path, _About]:
        samples, about = self._paths(recording)
        try:
            return samples, _About.model_validate_json(about.read_bytes())
        except (OSError, ValidationError):
            raise NotFound("there is no such recording beside this database; it may be removed") from None

    def _write(self, recording: str, about: _About) -> None:
        path = self._paths(recording)[1]
        beside = path.with_name(path.name + PART)
        beside.write_text(about.model_dump_json())
        beside.replace(path)

    def _room_for(self, count: int) -> None:
        """Raise NoRoom where so many bytes more leave too little of the disk."""
        self.folder.mkdir(exist_ok=True)
        free = shutil.disk_usage(self.folder).free
        if free - count < KEPT_FREE_BYTES:
            raise NoRoom(
                f"the disk has {free // 1_000_000} MB left, and {count // 1_000_000} MB more would fill it: make room, "
                "then try again; nothing of what is recorded is lost"
            )

    def begin(self, begun: Begun) -> Recorded:
        """An empty recording, to be appended to; raises NoRoom where a minute would not fit."""
        self._room_for(60 * begun.sample_rate * begun.channels * BYTES)
        recording = secrets.token_hex(ID_LENGTH // 2)
        now = datetime.now(UTC).isoformat()
        self._paths(recording)[0].touch()
        self._write(recording, _About(**begun.model_dump(), created_at=now))
        return self.the(recording)

    def append(self, recording: str, at_frame: int, data: bytes) -> Recorded:
        """Samples that follow, or that were sent before: what is there already is the same. Raises NotFound, NoRoom and
        InvalidAudio for what leaves a gap."""
        path, about = self._about(recording)
        width = BYTES * about.channels
        have = path.stat().st_size // width
        if len(data) % width:
            raise InvalidAudio(f"{len(data)} bytes are no whole frames of {width} bytes")
        if at_frame > have:
            raise InvalidAudio(f"{have} frames are there and these begin at {at_frame}: send what is between first")
        if at_frame + len(data) // width > LONGEST_S * about.sample_rate:
            raise InvalidAudio("a recording is three hours long at the most: begin another one")
        self._room_for(len(data))
        block = np.frombuffer(data, "<f4")
        try:
            with path.open("r+b") as file:
                file.seek(at_frame * width)
                file.write(np.nan_to_num(block, nan=0, posinf=0, neginf=0).astype("<f4").tobytes())
                file.flush()
                os.fsync(file.fileno())
        except OSError as error:
            raise NoRoom(f"it could not be written ({error.strerror}): what was sent before is there") from None
        return self.the(recording)

    @contextmanager
    def incoming(self, size: int) -> Iterator[IO[bytes]]:
        """A file on the same disk for what is on its way, gone afterwards; raises NoRoom where it would not fit, or does
        not."""
        self._room_for(size)
        try:
            with tempfile.TemporaryFile(dir=self.folder) as file:
                yield file
        except OSError as error:
            raise NoRoom(f"it could not be written ({error.strerror}): nothing of it is kept") from None

    def load(self, name: str, source: IO[bytes], size: int) -> Recorded:
        """A sound file of any length, or a video's sound; raises InvalidAudio and NoRoom, and keeps nothing then."""
        self._room_for(3 * size)
        head = source.read(HEAD_BYTES)
        source.seek(0)
        if is_film(head):
            with tempfile.TemporaryFile(dir=self.folder) as sound:
                sound_into(source.read(), sound)
                return self._decoded(name, sound, head)
        return self._decoded(name, source, head)

    def _decoded(self, name: str, source: IO[bytes], head: bytes) -> Recorded:
        recording = secrets.token_hex(ID_LENGTH // 2)
        path = self._paths(recording)[0]
        beside = path.with_name(path.name + PART)
        try:
            with quiet_decoder(head), soundfile.SoundFile(source) as file, beside.open("wb") as out:
                rate = int(file.samplerate)
                if not LOWEST_RATE <= rate <= HIGHEST_RATE:
                    raise InvalidAudio(f"its sample rate is {rate} Hz; {LOWEST_RATE} to {HIGHEST_RATE} Hz are read")
                channels = min(MOST_CHANNELS, file.channels)
                self._room_for(BYTES * channels * max(0, min(file.frames, int(LONGEST_S * rate))))
                written = 0
                for block in file.blocks(blocksize=BLOCK_FRAMES, dtype="float32", always_2d=True):
                    out.write(np.nan_to_num(block[:, :channels], nan=0, posinf=0, neginf=0).astype("<f4").tobytes())
                    written += len(block)
                    if written > LONGEST_S * rate:
                        raise InvalidAudio("it is over three hours long: export the part you want and load that")
            if not written:
                raise InvalidAudio("the file has no samples: its header is all there is; export it again")
            beside.replace(path)
        except (soundfile.LibsndfileError, RuntimeError, ValueError, TypeError, OverflowError):
            raise InvalidAudio(NOT_AUDIO) from None
        finally:
            beside.unlink(missing_ok=True)
        now = datetime.now(UTC).isoformat()
        self._write(recording, _About(name=plain_name(name), sample_rate=rate, channels=channels, created_at=now))
        return self.the(recording)

    def the(self, recording: str) -> Recorded:
        """One recording; raises NotFound."""
        path, about = self._about(recording)
        frames = path.stat().st_size // (BYTES * about.channels) if path.exists() else 0
        return Recorded(id=recording, duration_s=frames / about.sample_rate, **about.model_dump())

    def all(self, *, away: bool = False) -> list[Recorded]:
        """Every recording that is not put away, or every one that is, the newest first."""
        if not self.folder.is_dir():
            return []
        found = []
        for path in self.folder.glob(f"*{ABOUT}"):
            try:
                found.append(self.the(path.name.removesuffix(ABOUT)))
            except NotFound:
                continue
        return sorted((one for one in found if one.away == away), key=lambda one: one.created_at, reverse=True)

    def put_away(self, recording: str, *, away: bool) -> None:
        """Put a recording away, or bring it back; its file stays. Raises NotFound."""
        _, about = self._about(recording)
        self._write(recording, about.model_copy(update={"away": away}))

    def remove(self, recording: str) -> None:
        """Remove a recording that is put away for good; takes that were cut from it stay. Raises NotFound, InvalidAudio."""
        path, about = self._about(recording)
        if not about.away:
            raise InvalidAudio("this recording is not put away: put it away first; nothing was removed")
        path.unlink(missing_ok=True)
        self._paths(recording)[1].unlink(missing_ok=True)

    def audio(self, recording: str, first: int, last: int) -> Samples:
        """Samples from a frame to another, (channels, frames), as far as there are any; raises NotFound."""
        path, about = self._about(recording)
        return _stretch(path, about.channels, first, last)

    def wave(self, recording: str, from_s: float, to_s: float) -> RecordingWave:
        """The waveform between two moments, read block by block; raises NotFound."""
        path, about = self._about(recording)
        rate, frames = about.sample_rate, path.stat().st_size // (BYTES * about.channels)
        first = min(max(0, round(from_s * rate)), max(0, frames - 1))
        last = min(frames, max(first + 1, round(min(to_s, LONGEST_S) * rate)))
        columns = min(COLUMNS, max(1, last - first))
        edges = np.linspace(first, last, columns + 1).astype(int)
        low, high = np.zeros(columns), np.zeros(columns)
        for column, (begin, end) in enumerate(pairwise(edges)):
            peaks = [(float(block.min()), float(block.max())) for block in _blocks(path, about.channels, begin, end)]
            low[column], high[column] = min((one for one, _ in peaks), default=0), max((one for _, one in peaks), default=0)
        return RecordingWave(
            from_s=first / rate, to_s=last / rate, duration_s=frames / rate, low=rounded(low, 3), high=rounded(high, 3)
        )

    def impacts(self, recording: str, role: Role) -> Impacts:
        """Impacts of a recording, the best for a role first; long work, told and stopped. Raises NotFound, InvalidAudio."""
        path, about = self._about(recording)
        frames = path.stat().st_size // (BYTES * about.channels)
        shown = self.wave(recording, 0, LONGEST_S)
        found = _found(str(path), about.name, about.channels, frames, about.sample_rate)
        return Impacts(
            take=recording,
            role=role,
            roles=tuple(RECORDED),
            duration_s=shown.duration_s,
            found=ranked(found, role),
            low=shown.low,
            high=shown.high,
        )

    def cut(self, shelf: Shelf, recording: str, cuts: tuple[Cut, ...]) -> list[LoadedTake]:
        """Stretches of a recording as takes, to the sample; raises NotFound, and InvalidAudio for one that is empty or over
        100 s."""
        _, about = self._about(recording)
        rate, parts = about.sample_rate, []
        for one in cuts:
            if one.end_s - one.begin_s > LONGEST_MS / 1000:
                raise InvalidAudio(f"{one.name} is over {LONGEST_MS / 1000:.0f} s long: cut less of it")
            audio = self.audio(recording, round(one.begin_s * rate), round(one.end_s * rate))
            parts.append((one, edged(audio, one.name, sample_rate=rate)))
        said = f"from {about.name}"
        return [
            shelf.keep(one.name, TakeAudio(part, rate), made_of=MadeOf(way="cut", begin_s=one.begin_s, said=said))
            for one, part in parts
        ]

    def heard(self, recording: str, begin_ms: float, length_ms: float, sample_rate: int) -> bytes:
        """A stretch as it is, as a 32-bit float WAV; raises NotFound."""
        _, about = self._about(recording)
        first, count = (round(ms * about.sample_rate / 1000) for ms in (begin_ms, length_ms))
        return heard_wav(self.audio(recording, first, first + count), about.sample_rate, sample_rate)


def _stretch(path: Path, channels: int, first: int, last: int) -> Samples:
    """Samples of a file, (channels, frames)."""
    with path.open("rb") as file:
        file.seek(max(0, first) * BYTES * channels)
        data = file.read(max(0, last - max(0, first)) * BYTES * channels)
    whole = len(data) // (BYTES * channels) * BYTES * channels
    return np.ascontiguousarray(np.frombuffer(data[:whole], "<f4").reshape(-1, channels).T.astype(np.float64))


def _blocks(path: Path, channels: int, first: int, last: int) -> Iterator[Samples]:
    for at in range(first, last, BLOCK_FRAMES):
        block = _stretch(path, channels, at, min(last, at + BLOCK_FRAMES))
        if block.size:
            yield block


@newest(4)
@elsewhere(lambda path, name, channels, frames, sample_rate: f"Finding impacts in {name}")
def _found(path: str, name: str, channels: int, frames: int, sample_rate: int) -> tuple[Weighed, ...]:
    """Every impact of so much of a recording with what it serves as: samples that are there never change."""
    file = Path(path)

    def mono(first: int, last: int) -> Samples:
        return for_measuring(_stretch(file, channels, first, last))

    out = []
    for one in steps(long_impacts(mono, frames, sample_rate=sample_rate)):
        first, last = (round(at * sample_rate) for at in heard_of(one))
        out.append(weighed(one, mono(first, last), sample_rate))
    return tuple(one for one in out if one is not None)
