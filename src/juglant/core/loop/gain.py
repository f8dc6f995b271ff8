"""The gain of a part: every curve it is ducked by, together."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.duck.curve import LONGEST_STEP_S, GainRows, curve_rows, flat_rows, rows_to_gain
from juglant.core.duck.keys import key_beats
from juglant.core.duck.part_curves import curves_of, followed, split_of, starts_beats
from juglant.core.duck.spared import spared
from juglant.core.loop.compressed import driven_rows
from juglant.core.loop.key_sound import key_description
from juglant.core.model.duck import Duck, Ducked
from juglant.core.model.ids import BASS_PART
from juglant.core.model.track import Track
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

# What of a curve is no part of its gain.
NO_GAIN = {"fitted", "refit", "recovery_beats"}


def bands(track: Track, part: str, stem: Samples) -> tuple[Samples, Samples | None]:
    """What of a part's stem its gain works on, and what it leaves alone (None: nothing), each shaped as `stem`.

    With a split both are Linkwitz-Riley branches: their sum is an all-pass of the stem.
    """
    split_hz, rate = split_of(track, part), track.sheet.sample_rate
    if split_hz is None or not curves_of(track, part):
        return stem, None
    low, high = (
        filter_loop(stem, branch(split_hz, sample_rate=rate), sample_rate=rate) for branch in (low_branch, high_branch)
    )
    return low, high


def part_rows(track: Track, part: str, total_frames: int) -> GainRows:
    """Total gain of a part over one pass of the loop, wrapped returns included."""
    source, share = followed(track, part)
    loop_s = total_frames / track.sheet.sample_rate
    own = track.part(source).ducked
    # What a curve is as deep as a part may be already; a compressor's gain is followed as it comes.
    every = [_rows(track, part, one, share, loop_s) for one in curves_of(track, part)]
    every = [rows for rows in every if np.any(rows.gain_db)]
    if not every:
        return flat_rows(loop_s)
    return every[0] if len(every) == 1 else _together(every, own)


def _rows(track: Track, part: str, one: Duck, share: float, loop_s: float) -> GainRows:
    if one.drive == "compressor":
        rows = driven_rows(track, one, loop_s)
        return rows if share == 1.0 else GainRows(rows.at_s, np.round(rows.gain_db * share, 4) + 0.0)
    beat_s = 60 / track.sheet.bpm
    rows = curve_rows(one, [at * beat_s for at in key_beats(track, one.key)], loop_s)
    return spared(rows, [at * beat_s for at in starts_beats(track, part)], one.spare_ms) if one.spare_ms else rows


def _together(every: list[GainRows], target: Ducked) -> GainRows:
    times = np.unique(np.round(np.concatenate([rows.at_s for rows in every]), 4))
    # What rests in one curve may move in another, and two may cross: no step is longer than the file's.
    gaps = np.diff(times)
    extra = [
        first + gap * np.arange(1, math.ceil(gap / LONGEST_STEP_S)) / math.ceil(gap / LONGEST_STEP_S)
        for first, gap in zip(times[:-1], gaps, strict=True)
        if gap > LONGEST_STEP_S and any(_moves(rows, first, first + gap) for rows in every)
    ]
    times = np.unique(np.round(np.concatenate((times, *extra)), 4)) if extra else times
    gains = np.stack([np.interp(times, rows.at_s, rows.gain_db) for rows in every])
    total = gains.min(axis=0) if target.together == "deepest" else np.maximum(gains.sum(axis=0), -target.limit_db)
    return GainRows(times, np.round(total, 4) + 0.0)


def _moves(rows: GainRows, first: float, last: float) -> bool:
    one, other = np.interp([first, last], rows.at_s, rows.gain_db)
    return bool(abs(one - other) > 1e-9)


def part_gain(track: Track, part: str, total_frames: int) -> Samples:
    """The same as a factor at every sample, (total_frames,)."""
    return rows_to_gain(part_rows(track, part, total_frames), total_frames, sample_rate=track.sheet.sample_rate)


def gain_made_of(track: Track, part: str) -> str:
    """What a part's gain is made from, and nothing else: equal texts are equal gains; empty where it is not ducked."""
    curves = curves_of(track, part)
    if not curves:
        return ""
    source, share = followed(track, part)
    keys = [f"{one.model_dump_json(exclude=NO_GAIN)} {key_beats(track, one.key)}" for one in curves]
    keys += [f"{starts_beats(track, part)}"] if any(one.spare_ms for one in curves) else []
    keys += [key_description(track, one.key).model_dump_json() for one in curves if one.drive == "compressor"]
    sheet = track.sheet
    settings = f"{split_of(track, part)} {track.part(part).ducked.space}"
    together = track.part(source).ducked.model_dump_json(include={"together", "limit_db"})
    return f"{sheet.bpm} {sheet.bars} {sheet.sample_rate} {settings} {together} {share} {keys}"


def gain_rows(track: Track, total_frames: int) -> GainRows:
    """The bass's gain over one pass of the loop."""
    return part_rows(track, BASS_PART, total_frames)
