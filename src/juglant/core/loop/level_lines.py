"""Level lines as gains over the loop."""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from juglant.core.model.level_line import SILENT_DB, LevelLine
from juglant.core.model.track import Track
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples

# A step, and the loop's own end, are gone through in this time, so that nothing clicks.
SMOOTH_MS = 3.0


def line_of(track: Track, part: str) -> LevelLine | None:
    """A part's level line; None where it has none, or one that changes nothing."""
    found = track.part(part).level_line
    return found if found is not None and any(point.gain_db for point in found.points) else None


def line_db(line: LevelLine, at_beats: Samples) -> Samples:
    """The line at places of the loop, dB."""
    return np.asarray(np.interp(at_beats, [one.at_beats for one in line.points], [one.gain_db for one in line.points]))


def line_gain(track: Track, part: str, frames: int) -> Samples | None:
    """A part's level line as a factor at every sample, (frames,); None without one."""
    line = line_of(track, part)
    if line is None:
        return None
    sheet = track.sheet
    level = line_db(line, np.arange(frames) / sheet.sample_rate * sheet.bpm / 60)
    factor = np.where(level <= SILENT_DB, 0.0, 10 ** (level / 20))
    return np.asarray(ndimage.uniform_filter1d(factor, max(1, frames_of(SMOOTH_MS, sheet.sample_rate)), mode="wrap"))


def along_line(track: Track, part: str, stem: Samples) -> Samples:
    """A stem, (frames,) or (2, frames), at the level its line asks for; itself without one."""
    gain = line_gain(track, part, stem.shape[-1])
    return stem if gain is None else np.asarray(stem * gain)


def line_made_of(track: Track, part: str) -> str:
    """All a line is made from as a text, empty without one."""
    line = line_of(track, part)
    return "" if line is None else f" line {line.model_dump_json()}"
