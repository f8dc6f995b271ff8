"""What a swap does to a track: another kick, key or tempo, every figure before and after, and with the plan made anew."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Literal, get_args

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.errors import InvalidTrack
from juglant.core.findings.registry import find_all
from juglant.core.model.hit import Hit
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, HIGHEST_NOTE, LOWEST_BASS_NOTE, LOWEST_NOTE, Stroke
from juglant.core.model.track import Track
from juglant.core.music.notes import octaves_within
from juglant.core.music.scales import ScaleName, Tonic, pitch_class
from juglant.core.parameter.fields import limits_of
from juglant.core.parameter.parameter import Description
from juglant.core.plans.plan import carve_in_order, plan_duck
from juglant.core.progress import steps
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.tune.length import shortest_gap_ms
from juglant.core.tune.retune import tuned
from juglant.core.tune.targets import off_key_cents, targets

Replanned = Literal["tune", "carve", "duck"]
REPLANNED: tuple[Replanned, ...] = get_args(Replanned)
NEARLY_DB = 0.1


class Swap(Description):
    """What is put in the place of what there is; None stays. The line moves with the key, by at most half an octave."""

    kick: Hit | None = None
    tonic: Tonic | None = None
    scale: ScaleName | None = None
    bpm: float | None = None


@dataclass(frozen=True)
class Row:
    """One figure of the track as it is, with the swap, and planned anew; limit: up to here it fits (None: no limit).

    fits: whether each of the three does.
    """

    id: str
    name: str
    unit: str
    limit: float | None
    now: float | None
    swapped: float | None
    planned: float | None
    fits: tuple[bool, ...]


@dataclass(frozen=True)
class SwapCheck:
    """Every figure, and how many of those that fit now fit no more."""

    rows: tuple[Row, ...]
    broke: tuple[str, ...]
    mended: tuple[str, ...]


def swapped(track: Track, swap: Swap) -> Track:
    """The track with the swap and nothing else changed; raises InvalidTrack for a tempo that no track has."""
    sheet = track.sheet
    changes: dict[str, object] = {}
    if swap.tonic is not None:
        changes["tonic"] = swap.tonic
    if swap.scale is not None:
        changes["scale"] = swap.scale
    if swap.bpm is not None:
        limits = limits_of(Sheet, "bpm")
        if limits is not None and not limits.low <= swap.bpm <= limits.high:
            raise InvalidTrack(f"bpm must be {limits.low:g} to {limits.high:g}, got {swap.bpm:g}")
        changes["bpm"] = swap.bpm
    moved = track.model_copy(update={"sheet": sheet.model_copy(update=changes)})
    if swap.tonic is not None:
        by = (pitch_class(swap.tonic) - pitch_class(sheet.tonic) + 6) % 12 - 6
        moved = _all_moved(moved, by)
    if swap.kick is None:
        return moved
    loop = moved.kick_loop.model_copy(update={"on": False})
    return moved.with_hit(KICK_ID, swap.kick).with_part(KICK_ID, loop=loop)


def _all_moved(track: Track, semitones: int) -> Track:
    """The track with every line and every root moved; what would leave a range goes by octaves."""
    low, high = LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE

    def moved(one: Part) -> Part:
        notes = tuple(
            note.model_copy(update={"note": octaves_within(note.note + semitones, low, high)}) for note in one.notes
        )
        strokes = tuple(_stroke_moved(stroke, semitones) for stroke in one.strokes)
        return one.model_copy(update={"notes": notes, "strokes": strokes})

    roots = tuple(None if root is None else (root + semitones) % 12 for root in track.sheet.roots)
    sheet = track.sheet.model_copy(update={"roots": roots})
    return track.model_copy(update={"parts": tuple(moved(one) for one in track.parts), "sheet": sheet})


def _stroke_moved(stroke: Stroke, semitones: int) -> Stroke:
    if stroke.note is None:
        return stroke
    return stroke.model_copy(update={"note": octaves_within(stroke.note + semitones, LOWEST_NOTE, HIGHEST_NOTE)})


def replanned(track: Track, parts: Iterable[Replanned]) -> Track:
    """The track with the kick brought to its best target, and carve and duck computed, as far as asked for."""
    asked = set(parts)
    if "tune" in asked:
        used_hz = hit_pitch(track, track.kick_hit()).used_hz
        best = targets(track, used_hz, most=1) if used_hz is not None else []
        if best:
            track = tuned(track, KICK_ID, best[0].frequency_hz)
    if "carve" in asked:
        track = carve_in_order(track)[0]
    if "duck" in asked:
        track = plan_duck(track)[0]
    return track


def _figures(found: Analysis) -> dict[str, tuple[str, str, float | None, float | None]]:
    """Name, unit, limit and value of every figure."""
    track, limits = found.track, found.track.limits
    pitch = hit_pitch(track, track.kick_hit()).used_hz
    gap = shortest_gap_ms(track)
    length = found.kick.timing.length_ms if found.kick else None
    over = max(0.0, length - gap) if length is not None and gap is not None else None
    # A kick without a pitch cannot be judged; one that beats with no note beats nowhere.
    beating = None if not found.beatings else found.beating.beats if found.beating is not None else 0.0
    fixes = sum(finding.severity == "fix" and not finding.intended for finding in find_all(found))
    off = None if pitch is None else abs(off_key_cents(track, pitch)[1])
    return {
        "off-key": ("Kick off its note of the key", "cents", limits.key_look_cents, off),
        "short": ("Clearance short of the goal", "dB", NEARLY_DB, found.clearance.short_db),
        "beats": ("Beats of the kick against the line", "beats", limits.beats_swell, beating),
        "over-gap": ("Kick longer than its gap", "ms", 0.0, over),
        "late": ("Notes at which the bass is not back", "", 0.0, float(len(found.guards.late_notes))),
        "fixes": ("Things to fix", "", 0.0, float(fixes)),
        "kick-length": ("Length of the kick", "ms", None, length),
        "peak": ("Peak", "dBFS", None, found.levels.peak_db),
        "loudness": ("Loudness", "LUFS", None, found.levels.loop_loudness_lufs),
    }


def check_swap(track: Track, swap: Swap) -> SwapCheck:
    """Every figure now, with the swap, and with the swap and everything planned anew."""
    other = swapped(track, swap)
    # Planned last: it takes longest.
    asked: tuple[Callable[[], Track], ...] = (lambda: track, lambda: other, lambda: replanned(other, REPLANNED))
    three = [_figures(analyse(make())) for make in steps(asked)]
    rows = []
    for name, (title, unit, limit, _) in three[0].items():
        now, then, anew = (figures[name][3] for figures in three)
        rows.append(
            Row(name, title, unit, limit, now, then, anew, tuple(fits(limit, value) for value in (now, then, anew)))
        )
    broke = [row for row in rows if row.fits[0] and not row.fits[1]]
    mended = tuple(row.id for row in broke if row.fits[2])
    return SwapCheck(tuple(rows), tuple(row.id for row in broke), mended)


def fits(limit: float | None, value: float | None) -> bool:
    """Whether a figure keeps its limit; what cannot be measured or has no limit fits."""
    return limit is None or value is None or value <= limit + 1e-9
