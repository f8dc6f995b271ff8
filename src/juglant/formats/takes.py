"""Sound files as takes: whatever comes is read, refused with what to do, or read in part where that is asked for."""

from __future__ import annotations

import io
import tempfile
from dataclasses import dataclass
from typing import IO, Literal

import numpy as np
import soundfile

from juglant.core.errors import InvalidAudio, TakeTooLong, TooManyChannels
from juglant.core.synth.take import LONGEST_MS
from juglant.core.synth.takes import TakeAudio
from juglant.core.types import Samples
from juglant.formats.film import is_film, sound_into
from juglant.formats.quiet import quiet_decoder

LOWEST_RATE, HIGHEST_RATE = 2000, 768000
SHORTEST_S = 0.001
# In two channels some 400 MB while it is read.
MOST_FRAMES = 24_000_000
LOUDEST, SILENT = 10 ** (24 / 20), 1e-7
BLOCK_FRAMES = 1 << 18
Channels = Literal["as they are", "first two", "mono"]
NOT_AUDIO = "this is not audio that can be read (WAV, AIFF, FLAC, OGG, MP3, or a video with sound); export it again"


@dataclass(frozen=True)
class ReadTake:
    """A take, how long its file is, and what was done to it while reading."""

    take: TakeAudio
    file_s: float
    notes: tuple[str, ...]


def _minutes(seconds: float) -> str:
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def _loudest_s(file: soundfile.SoundFile) -> float:
    """Where the loudest block of a file begins, s."""
    best, best_at, at = 0.0, 0, 0
    for block in file.blocks(blocksize=BLOCK_FRAMES // 4, dtype="float32", always_2d=True):
        power = float(np.sum(np.square(np.nan_to_num(block, nan=0, posinf=0, neginf=0), dtype=np.float64)))
        if power > best:
            best, best_at = power, at
        at += len(block)
    return best_at / float(file.samplerate)


def read_take(data: bytes, *, from_s: float | None, channels: Channels) -> ReadTake:
    """A sound file's bytes as a take of at most 100 s, at its own rate.

    from_s: where the part begins, None for a file that is used whole. Raises TakeTooLong and TooManyChannels, which say
    what can be asked for instead, and InvalidAudio for what is no sound, is empty, silent or of an impossible rate.
    """
    if not data:
        raise InvalidAudio("the file is empty (0 bytes)")
    if is_film(data):
        with tempfile.TemporaryFile() as sound:
            sound_into(data, sound)
            block, rate, file_s = _read(sound, data, from_s)
    else:
        block, rate, file_s = _read(io.BytesIO(data), data, from_s)
    audio, notes = _mixed(block.T, channels)
    return ReadTake(TakeAudio(_sound(audio, rate, notes), rate), file_s, tuple(notes))


def _read(source: IO[bytes], data: bytes, from_s: float | None) -> tuple[Samples, int, float]:
    try:
        with quiet_decoder(data), soundfile.SoundFile(source) as file:
            return _part(file, from_s)
    except (soundfile.LibsndfileError, RuntimeError, ValueError, TypeError, OverflowError):
        raise InvalidAudio(NOT_AUDIO) from None


def _part(file: soundfile.SoundFile, from_s: float | None) -> tuple[Samples, int, float]:
    rate = int(file.samplerate)
    if not LOWEST_RATE <= rate <= HIGHEST_RATE:
        raise InvalidAudio(
            f"its sample rate is {rate} Hz; {LOWEST_RATE} to {HIGHEST_RATE} Hz are read: export it at a usual rate"
        )
    file_s, longest_s = file.frames / rate, min(LONGEST_MS / 1000, MOST_FRAMES / rate)
    # The header may claim any length: what is there decides.
    if file_s > longest_s and from_s is None:
        loudest_s = min(_loudest_s(file), max(0.0, file_s - longest_s))
        raise TakeTooLong(
            f"this file is {_minutes(file_s)} long and at most {longest_s:.0f} s of it are taken: choose where its part "
            f"begins (it is loudest from {_minutes(loudest_s)})",
            last_s=max(0.0, file_s - longest_s),
            loudest_s=loudest_s,
        )
    if from_s is not None:
        file.seek(min(max(0, file.frames - 1), round(from_s * rate)))
    wanted, blocks = round(longest_s * rate), []
    while wanted > 0:
        block = file.read(min(BLOCK_FRAMES, wanted), dtype="float64", always_2d=True)
        if not len(block):
            break
        blocks.append(block)
        wanted -= len(block)
    if not blocks:
        raise InvalidAudio("the file has no samples: its header is all there is; export it again")
    return np.concatenate(blocks), rate, file_s


def _mixed(audio: Samples, channels: Channels) -> tuple[Samples, list[str]]:
    count = audio.shape[0]
    if channels == "mono":
        return audio.mean(axis=0, keepdims=True), [f"{count} channels mixed to one"] if count > 1 else []
    if count > 2 and channels == "first two":
        return audio[:2], [f"the first two of {count} channels"]
    if count > 2:
        raise TooManyChannels(f"this file has {count} channels: take the first two, or mix all of them to one", count)
    return audio, []


def _sound(audio: Samples, rate: int, notes: list[str]) -> Samples:
    """Samples that can be rendered; what was changed for it goes to the notes."""
    bad = int(np.count_nonzero(~np.isfinite(audio)))
    if bad:
        audio = np.nan_to_num(audio, nan=0.0, posinf=0.0, neginf=0.0)
        notes.append(f"{bad} samples were no numbers and are silent now")
    if audio.shape[1] < SHORTEST_S * rate:
        raise InvalidAudio(f"the sound has {audio.shape[1]} sample(s); it must last at least {1000 * SHORTEST_S:.0f} ms")
    peak = float(np.max(np.abs(audio)))
    if peak < SILENT:
        raise InvalidAudio("the sound is silent; choose another part or another file")
    if peak > LOUDEST:
        audio = audio / peak
        notes.append("its peak was over +24 dBFS and is 0 dBFS now")
    if audio.shape[0] == 2 and np.array_equal(audio[0], audio[1]):
        audio = audio[:1]
        notes.append("both channels are the same: one is kept")
    # As it is stored: 32-bit floats.
    return np.ascontiguousarray(audio.astype(np.float32).astype(np.float64))
