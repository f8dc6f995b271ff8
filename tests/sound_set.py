"""Recorded sounds of an open General MIDI sound set (Debian package fluid-soundfont-gm), where it is installed."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from pathlib import Path

import numpy as np

SOUND_SET = Path("/usr/share/sounds/sf2/FluidR3_GM.sf2")
HEADER = 46


def chunks(data: bytes, at: int, end: int) -> Iterator[tuple[bytes, int, int]]:
    """Name and place of the chunks of a RIFF file."""
    while at + 8 <= end:
        size = struct.unpack_from("<I", data, at + 4)[0]
        yield data[at : at + 4], at + 8, at + 8 + size
        at += 8 + size + size % 2


def sounds(names: re.Pattern[str], path: Path = SOUND_SET) -> dict[str, tuple[np.ndarray, int]]:
    """Sounds of the set by name, one side of each: samples and rate (SoundFont 2.01, `smpl` and `shdr`)."""
    data, place = path.read_bytes(), {}
    for name, first, last in chunks(data, 12, len(data)):
        if name == b"LIST":
            place |= {inner: (start, end) for inner, start, end in chunks(data, first + 4, last)}
    samples = np.frombuffer(data[slice(*place[b"smpl"])], "<i2") / 32768
    found = {}
    for at in range(place[b"shdr"][0], place[b"shdr"][1] - HEADER, HEADER):
        name = data[at : at + 20].split(b"\0")[0].decode("latin1").strip()
        start, end, _, _, rate = struct.unpack_from("<5I", data, at + 20)
        if names.search(name) and not name.endswith("(R)") and "Steel" not in name and end - start > 0.05 * rate:
            found[name] = samples[start:end].astype(float), rate
    return found
