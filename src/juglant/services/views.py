"""What a screen asks about a track: measured figures, pictures, findings and stems, remembered by description."""

from __future__ import annotations

import hashlib

from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.analyse import analysed
from juglant.core.findings.registry import find_all
from juglant.core.findings.steps import StepState, step_states
from juglant.core.loop.render import heard_stem, stem_made_of, stem_refs
from juglant.core.memory import newest
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.core.pictures.room import (
    CarvePicture,
    ClashMap,
    DuckPicture,
    draw_carve,
    draw_clash,
    draw_duck,
)
from juglant.core.pictures.strip import Strip, draw_strip
from juglant.core.reports.report import Report, report
from juglant.formats.wav import wav_float


class View(BaseModel):
    """Everything the screens draw of one revision.

    steps: how far each step is, and what to do next there.
    """

    model_config = ConfigDict(frozen=True)
    report: Report
    strip: Strip
    clash: ClashMap
    carve: CarvePicture
    duck: DuckPicture | None
    steps: tuple[StepState, ...]


@newest(6)
def view_of(track: Track) -> View:
    """What the screens draw."""
    found = analysed(track)
    findings = find_all(found)
    return View(
        report=report(found, findings),
        strip=draw_strip(found),
        clash=draw_clash(found),
        carve=draw_carve(found),
        duck=draw_duck(found),
        steps=step_states(found, findings),
    )


def stem_key(track: Track, ref: StemRef) -> str:
    """Hash of what a stem is made from: equal keys are equal audio."""
    return hashlib.sha256(stem_made_of(track, ref).encode()).hexdigest()[:24]


def stem_keys(track: Track) -> list[tuple[StemRef, str]]:
    """Every stem with its key."""
    return [(ref, stem_key(track, ref)) for ref in stem_refs(track)]


def stem_wav(track: Track, ref: StemRef) -> bytes:
    """A stem as a 32-bit float WAV."""
    return wav_float(heard_stem(track, ref), track.sheet.sample_rate)
