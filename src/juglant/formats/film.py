"""The sound of a video, or of any container for video: its first stream of sound, decoded to samples as they are."""

from __future__ import annotations

import io
from typing import IO

import av
import numpy as np
import soundfile

from juglant.core.errors import InvalidAudio

# A recording is three hours long at the most: more than anybody cuts a hit from.
LONGEST_S = 3 * 3600.0
NO_SOUND = "this is a video without any sound: load one that has some, or its sound as WAV or FLAC"
BROKEN = (
    "this is a video, or sound in a container for video, and it cannot be read: export its sound as WAV or FLAC and load "
    "that"
)
TOO_LONG = "the sound of this video is over three hours long: export the part you want and load that"


def is_film(data: bytes) -> bool:
    """Whether a file begins as video containers do: ISO base media (`ftyp`), Matroska, WebM (EBML), AVI, MPEG, ASF."""
    return (
        data[4:8] in {b"ftyp", b"moov", b"mdat"}
        or data.startswith((b"\x1aE\xdf\xa3", b"\x00\x00\x01\xba", b"\x00\x00\x01\xb3", b"\x30\x26\xb2\x75"))
        or (data.startswith(b"RIFF") and data[8:12] == b"AVI ")
    )


def sound_into(data: bytes, out: IO[bytes]) -> None:
    """Write a video's sound to a file of 32-bit floats, at its own rate, block by block.

    Raises InvalidAudio where there is none, or none that can be read; what comes before a break in it is kept.
    """
    try:
        with av.open(io.BytesIO(data), mode="r") as film:
            stream = next(iter(film.streams.audio), None)
            if stream is None:
                raise InvalidAudio(NO_SOUND)
            rate, channels = int(stream.rate or 0), int(stream.channels or 0)
            if rate <= 0 or channels <= 0:
                raise InvalidAudio(BROKEN)
            resampler = av.AudioResampler(format="fltp")
            with soundfile.SoundFile(out, "w", samplerate=rate, channels=channels, format="RF64", subtype="FLOAT") as file:
                _decode(film, stream, resampler, file)
    except (av.FFmpegError, ValueError, OSError):
        raise InvalidAudio(BROKEN) from None
    out.seek(0)


def _decode(
    film: av.container.InputContainer,
    stream: av.AudioStream,
    resampler: av.AudioResampler,
    file: soundfile.SoundFile,
) -> None:
    written = 0
    try:
        for frame in film.decode(stream):
            for part in resampler.resample(frame):
                block = np.asarray(part.to_ndarray(), dtype=np.float32).T
                if block.shape[1] != file.channels:
                    raise InvalidAudio(BROKEN)
                file.write(block)
                written += len(block)
            if written > LONGEST_S * file.samplerate:
                raise InvalidAudio(TOO_LONG)
    except av.FFmpegError:
        # It breaks off: what came is used as it is.
        if not written:
            raise
