"""The gain of a part: every curve it is ducked by, together."""

from __future__ import annotations

import math

import numpy as np

from juglant.core.duck.curve import LONGEST_STEP_S, GainRows, curve_rows, flat_rows, lowest_db, rows_to_gain
from juglant.core.duck.driven import driven_rows
from juglant.core.duck.key_sound import key_description
from juglant.core.duck.keys import key_beats
from juglant.core.duck.spared import spared
from juglant.core.model.duck import BASS_PART, DEPTH_LIMIT_DB, MOST_CURVES, Duck, Target
from juglant.core.model.kit import KICK_ID
from juglant.core.model.sheet import LOWEST_ZONE_HZ
from juglant.core.model.track import Track
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

# What of a curve is no part of its gain.
NO_GAIN = {"fitted", "refit", "recovery_beats"}
# At the corner of a crossover half of a sound is left alone: a third of an octave further what lies below it is ducked.
INTO_ZONE = 2 ** (1 / 3)


def followed(track: Track, part: str) -> tuple[str, float]:
    """The part whose own curves make this part's gain, and how much of that gain in dB; a circle ends where it began."""
    share, seen = 1.0, {part}
    at = part
    while (target := track.ducking.of(at)).follows is not None and target.follows not in seen:
        share *= target.scale_pct / 100
        at = target.follows
        seen.add(at)
    return (at, share) if at != part else (part, 1.0)


def _acts(one: Duck) -> bool:
    return one.on and (one.drive == "compressor" or lowest_db(one) < 0)


def curves_of(track: Track, part: str) -> tuple[Duck, ...]:
    """Every curve that acts on a part, its own or those it follows, as deep as they are there; the bass's own first."""
    source, share = followed(track, part)
    own = (track.duck,) if source == BASS_PART else ()
    curves = tuple(one for one in (*own, *track.ducking.of(source).curves) if _acts(one))
    return tuple(scaled(one, share) for one in curves)


def scaled(one: Duck, share: float) -> Duck:
    """A curve so much deeper in dB, within what a curve may reach."""
    if share == 1.0:
        return one
    drawn = tuple(point.model_copy(update={"gain_db": max(-DEPTH_LIMIT_DB, point.gain_db * share)}) for point in one.drawn)
    return one.model_copy(update={"depth_db": min(DEPTH_LIMIT_DB, one.depth_db * share), "drawn": drawn})


def first_curve(track: Track, part: str) -> Duck:
    """The curve of a part that is solved: the bass's own, of another its first; a new one that is off where it has none.

    Of a part that follows another the curve it follows, as deep as it is there.
    """
    source, share = followed(track, part)
    if source == BASS_PART:
        return scaled(track.duck, share)
    curves = track.ducking.of(source).curves
    return scaled(curves[0], share) if curves else Duck()


def with_target(track: Track, target: Target) -> Track:
    """The track with one part ducked so, in the place it had; one without curves and settings of its own is left out."""
    others = track.ducking.targets
    known = any(one.part == target.part for one in others)
    targets = [target if one.part == target.part else one for one in others] if known else [*others, target]
    kept = tuple(one for one in targets if one != Target(part=one.part))
    return track.model_copy(update={"ducking": track.ducking.model_copy(update={"targets": kept})})


def with_curve(track: Track, part: str, curve: Duck) -> Track:
    """The track with a part's first curve in place, which is its own then."""
    target = track.ducking.of(part)
    if part == BASS_PART:
        made = track.model_copy(update={"duck": curve})
        return made if target.follows is None else with_target(made, target.model_copy(update={"follows": None}))
    return with_target(track, target.model_copy(update={"curves": (curve, *target.curves[1:]), "follows": None}))


def unlinked(track: Track, part: str) -> Track:
    """The track with what a part follows as curves of its own, as deep as they are there; they go together as they did."""
    source, share = followed(track, part)
    target, model = track.ducking.of(part), track.ducking.of(source)
    own = (track.duck,) if source == BASS_PART else ()
    curves = tuple(scaled(one, share).model_copy(update={"fitted": None}) for one in (*own, *model.curves))
    changes = {"curves": curves[:MOST_CURVES], "together": model.together, "limit_db": model.limit_db, "follows": None}
    return with_target(track, target.model_copy(update=changes))


def starts_beats(track: Track, part: str) -> list[float]:
    """Where a part's own notes or strokes start inside the loop, in beats, in order."""
    if part == BASS_PART:
        return [note.at_beats for note in track.notes()]
    return sorted({stroke.at_beats for one in track.hits() if one.id == part for stroke in track.played(one)})


def ducked_parts(track: Track) -> list[str]:
    """Every part there is that a curve acts on: bass, kick, then hits in their order."""
    return [part for part in (BASS_PART, KICK_ID, *(one.id for one in track.kit)) if curves_of(track, part)]


def split_of(track: Track, part: str) -> float | None:
    """Below which alone a part is ducked, Hz; None: all of it is.

    By zones the bass is ducked at most up to its own lowest zone, and as far into that as the crossover is wide.
    """
    target = track.ducking.of(part)
    ends = [target.split_hz] if target.split else []
    own = track.sheet.bass_from_hz if part == BASS_PART else None
    if own is not None and own > LOWEST_ZONE_HZ:
        ends.append(own * INTO_ZONE)
    return min(ends, default=None)


def bands(track: Track, part: str, stem: Samples) -> tuple[Samples, Samples | None]:
    """What of a part's stem its gain works on, and what it leaves alone (None: nothing), each shaped as `stem`.

    With a split both are Linkwitz-Riley branches: their sum is an all-pass of the stem.
    """
    split_hz, rate = split_of(track, part), track.sheet.sample_rate
    if split_hz is None or not curves_of(track, part):
        return stem, None
    low, high = (
        filter_loop(stem, branch(split_hz, sample_rate=rate), sample_rate=rate)
        for branch in (low_branch, high_branch)
    )
    return low, high


def part_rows(track: Track, part: str, total_frames: int) -> GainRows:
    """Total gain of a part over one pass of the loop, wrapped returns included."""
    source, share = followed(track, part)
    loop_s = total_frames / track.sheet.sample_rate
    own = track.ducking.of(source)
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


def _together(every: list[GainRows], target: Target) -> GainRows:
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
    settings = f"{split_of(track, part)} {track.ducking.of(part).space}"
    together = track.ducking.of(source).model_dump_json(include={"together", "limit_db"})
    return f"{sheet.bpm} {sheet.bars} {sheet.sample_rate} {settings} {together} {share} {keys}"


def gain_rows(track: Track, total_frames: int) -> GainRows:
    """The bass's gain over one pass of the loop."""
    return part_rows(track, BASS_PART, total_frames)
