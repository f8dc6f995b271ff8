"""WAV files: reading whatever comes, writing 24-bit hits with a root note and 32-bit float stems."""

from __future__ import annotations

import io
import math
import struct
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soundfile

from juglant.core.errors import InvalidAudio
from juglant.core.music.notes import note_number
from juglant.core.types import Samples
from juglant.formats.quiet import quiet_decoder

LARGEST_BYTES = 400_000_000
# Within this of a note the fraction is left at 0, so that readers which ignore it agree (method: root note).
SNAP_CENTS = 3.0
FULL_FRACTION = 2**32
# Always concert pitch: a sampler knows no other (method: root note).
SAMPLER_A4_HZ = 440.0


@dataclass(frozen=True)
class LoadedAudio:
    """Audio of a file: (channels, frames) and its rate."""

    audio: Samples
    sample_rate: int


def read_audio(source: Path | bytes) -> LoadedAudio:
    """Read an audio file or its bytes.

    Raises InvalidAudio with what is wrong and what to do: missing, a folder, too large, not audio, truncated, empty.
    """
    if isinstance(source, Path):
        if not source.exists():
            raise InvalidAudio("no such file")
        if not source.is_file():
            raise InvalidAudio("this is not a file; name the audio files themselves")
        size = source.stat().st_size
    else:
        size = len(source)
    if size == 0:
        raise InvalidAudio("the file is empty (0 bytes)")
    if size > LARGEST_BYTES:
        raise InvalidAudio(f"the file is {size // 1_000_000} MB; at most {LARGEST_BYTES // 1_000_000} MB are read")
    data = source.read_bytes() if isinstance(source, Path) else source
    try:
        with quiet_decoder(data), soundfile.SoundFile(io.BytesIO(data)) as file:
            channels, rate = file.channels, file.samplerate
            # A header may claim any length: read in blocks, so that only what is there takes memory.
            blocks = list(file.blocks(blocksize=1 << 18, dtype="float64", always_2d=True))
    except (soundfile.LibsndfileError, RuntimeError, ValueError, TypeError, OverflowError):
        raise InvalidAudio("this is not audio that can be read (WAV, AIFF, FLAC, OGG, MP3); export it again") from None
    block = np.concatenate(blocks) if blocks else np.zeros((0, channels))
    if block.shape[0] == 0:
        raise InvalidAudio("the file has no samples: its header is all there is; export it again")
    return LoadedAudio(np.ascontiguousarray(block.T), int(rate))


def sampler_chunk(landing_hz: float, sample_rate: int) -> bytes:
    """A `smpl` chunk with the root note: unity note plus an unsigned fraction of a semitone upwards."""
    number = note_number(landing_hz, SAMPLER_A4_HZ)
    nearest = math.floor(number + 0.5)
    if abs(number - nearest) * 100 <= SNAP_CENTS:
        unity, fraction = nearest, 0
    else:
        unity = math.floor(number)
        fraction = round((number - unity) * FULL_FRACTION)
        if fraction >= FULL_FRACTION:
            unity, fraction = unity + 1, 0
    unity = min(max(unity, 0), 127)
    body = struct.pack("<9I", 0, 0, round(1e9 / sample_rate), unity, fraction, 0, 0, 0, 0)
    return b"smpl" + struct.pack("<I", len(body)) + body


def wav_float(audio: Samples, sample_rate: int) -> bytes:
    """A 32-bit float WAV of (frames,) or (channels, frames)."""
    block = np.atleast_2d(audio)
    data = block.T.astype("<f4").tobytes()
    channels, frames = block.shape
    form = struct.pack("<HHIIHHH", 3, channels, sample_rate, sample_rate * channels * 4, channels * 4, 32, 0)
    fact = b"fact" + struct.pack("<II", 4, frames)
    return _riff(b"fmt " + struct.pack("<I", len(form)) + form + fact + b"data" + struct.pack("<I", len(data)) + data)


def wav_24(audio: Samples, sample_rate: int, *, landing_hz: float | None) -> bytes:
    """A 24-bit WAV of (frames,) or (channels, frames), with a root note where there is a landing."""
    block = np.atleast_2d(audio)
    channels = block.shape[0]
    steps = np.clip(np.round(np.ascontiguousarray(block.T) * 8388607), -8388608, 8388607).astype("<i4")
    data = steps.view(np.uint8).reshape(-1, 4)[:, :3].tobytes()
    form = struct.pack("<HHIIHH", 1, channels, sample_rate, sample_rate * 3 * channels, 3 * channels, 24)
    pad = b"\0" if len(data) % 2 else b""
    chunks = b"fmt " + struct.pack("<I", len(form)) + form + b"data" + struct.pack("<I", len(data)) + data + pad
    return _riff(chunks + (sampler_chunk(landing_hz, sample_rate) if landing_hz else b""))


def _riff(chunks: bytes) -> bytes:
    return b"RIFF" + struct.pack("<I", 4 + len(chunks)) + b"WAVE" + chunks
