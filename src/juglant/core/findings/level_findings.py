"""Findings of level lines: where one and a duck both take a part down."""

from __future__ import annotations

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.duck_aims import part_title
from juglant.core.duck.part_curves import ducked_parts
from juglant.core.findings.finding import Finding, Fix
from juglant.core.loop.gain import part_gain
from juglant.core.loop.level_lines import line_db, line_of
from juglant.core.loop.place import loop_frames
from juglant.core.music.tempo import told_in_bars

# Both further down than this at one place take a part down twice.
LEAST_DB = 3.0
FLOOR = 1e-4


def line_and_duck(found: Analysis) -> list[Finding]:
    """A part that its level line takes down where its duck does already."""
    track, out = found.track, []
    frames = loop_frames(track)
    beats = np.arange(frames) / track.sheet.sample_rate * track.sheet.bpm / 60
    for part in ducked_parts(track):
        line = line_of(track, part)
        if line is None:
            continue
        ducked = 20 * np.log10(np.maximum(part_gain(track, part, frames), FLOOR))
        drawn = line_db(line, beats)
        both = np.where((ducked < -LEAST_DB) & (drawn < -LEAST_DB), ducked + drawn, 0.0)
        at = int(np.argmin(both))
        if both[at] >= 0:
            continue
        name, place = part_title(track, part), told_in_bars(round(float(beats[at]), 1))
        out.append(
            Finding(
                id=f"level-line-duck-{part}",
                step="duck",
                severity="note",
                title=f"{name}: level line and duck both take it down",
                reason=(
                    f"At {place} the duck takes {-ducked[at]:.1f} dB and the line {-drawn[at]:.1f} dB: {-both[at]:.1f} dB "
                    "together. Raise the line there, or leave it to one of them."
                ),
                value=float(both[at]),
                unit="dB",
                limit=-LEAST_DB,
                limit_kind="this project's choice",
                place_beats=float(beats[at]),
                hit_id=part,
                fixes=(Fix(label="Take the line off", track=track.with_part(part, level_line=None)),),
            )
        )
    return out


FINDERS = (line_and_duck,)
