"""Findings of the bass line as it is written: a single voice plays it."""

from __future__ import annotations

from itertools import pairwise

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.model.ids import BASS_PART
from juglant.core.model.strokes import HIGHEST_BASS_NOTE, LOWEST_BASS_NOTE, BassNote
from juglant.core.model.track import Track
from juglant.core.music.notes import octaves_within
from juglant.core.music.scales import pitch_class, scale_classes, spelled
from juglant.core.tune.roots import off_roots

# Less than a sample at any rate and tempo.
TOUCHING_BEATS = 1e-6


def single_voice(track: Track) -> Track:
    """The track with every note of the line ended where the next one starts; of notes at one place the first stays."""
    ordered = sorted(track.bass_notes, key=lambda note: note.at_beats)
    kept: list[BassNote] = []
    for note in ordered:
        if kept and abs(note.at_beats - kept[-1].at_beats) < TOUCHING_BEATS:
            continue
        if kept and kept[-1].at_beats + kept[-1].length_beats > note.at_beats:
            kept[-1] = kept[-1].model_copy(update={"length_beats": note.at_beats - kept[-1].at_beats})
        kept.append(note)
    return track.with_part(BASS_PART, notes=tuple(kept))


def notes_overlap(found: Analysis) -> list[Finding]:
    """Notes that are written over each other: the bass is one voice, each new note ends the one before it."""
    track = found.track
    notes = sorted(track.bass_notes, key=lambda note: note.at_beats)
    over = [
        (one, one.at_beats + one.length_beats - following.at_beats)
        for one, following in pairwise(notes)
        if one.at_beats + one.length_beats - following.at_beats > TOUCHING_BEATS
    ]
    if not over:
        return []
    first, _ = over[0]
    return [
        Finding(
            id="notes-overlap",
            step="tune",
            topic="line",
            severity="note",
            title="Bass notes are written over each other",
            reason=(
                f"{len(over)} of {len(notes)} notes last into the next, by {max(by for _, by in over):.2f} beats at most. "
                "Here one voice plays them, each ending where the next begins; another sampler may let both sound and beat."
            ),
            value=float(len(over)),
            unit="notes",
            limit=0,
            limit_kind="common practice",
            place_beats=first.at_beats,
            fixes=(Fix(label="End each where the next begins", track=single_voice(track)),),
        )
    ]


def moved_line(track: Track, semitones: int) -> Track:
    """The track with every note of the line moved; notes that would leave the bass' range go an octave back."""
    low, high = LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE
    notes = tuple(
        one.model_copy(update={"note": octaves_within(one.note + semitones, low, high)}) for one in track.bass_notes
    )
    return track.with_part(BASS_PART, notes=notes)


def _outside(track: Track) -> list[BassNote]:
    classes = scale_classes(track.sheet.tonic, track.sheet.scale)
    return [note for note in track.notes() if note.note % 12 not in classes]


def _on_the_tonic(track: Track) -> float:
    """How long the line is on the tonic, beats."""
    tonic = pitch_class(track.sheet.tonic)
    return sum(one.length_beats for one in track.notes() if one.note % 12 == tonic)


def _onto_the_key(track: Track) -> Track:
    """The track with each note outside of the key on its nearest note of it, downwards where two are as near."""
    classes = scale_classes(track.sheet.tonic, track.sheet.scale)

    def nearest(note: int) -> int:
        return min((n for n in range(note - 6, note + 7) if n % 12 in classes), key=lambda n: (abs(n - note), n))

    notes = tuple(one.model_copy(update={"note": nearest(one.note)}) for one in track.bass_notes)
    return track.with_part(BASS_PART, notes=notes)


def line_outside_key(found: Analysis) -> list[Finding]:
    """Notes of the line that are not in the key: on purpose, or left behind when the key was changed."""
    track, outside = found.track, _outside(found.track)
    if not outside or track.bass.source == "recorded line":
        return []
    sheet, total = track.sheet, len(track.notes())
    names = dict.fromkeys(spelled(one.note, sheet.tonic, sheet.scale, sheet.middle_c) for one in outside)
    # Of all moves that leave least outside, the one that rests longest on the tonic, as the line did; then the smallest.
    moves = {by: moved_line(track, by) for by in range(-6, 6)}
    left = {by: len(_outside(moved)) for by, moved in moves.items()}
    by = min(left, key=lambda semitones: (left[semitones], -_on_the_tonic(moves[semitones]), abs(semitones), semitones))
    fixes = [Fix(label="Each to its nearest note of the key", track=_onto_the_key(track))]
    if left[by] < len(outside):
        stays = "" if left[by] == 0 else f", {left[by]} stay outside"
        fixes.insert(0, Fix(label=f"Move the line by {by:+d} semitones{stays}", track=moved_line(track, by)))
    return [
        Finding(
            id="line-outside-key",
            step="track",
            severity="note",
            title="The line has notes outside the key",
            reason=f"{len(outside)} of {total} notes: {', '.join(names)}. On purpose, mark it as intended.",
            value=float(len(outside)),
            unit="notes",
            limit=0,
            limit_kind="this project's choice",
            place_beats=outside[0].at_beats,
            fixes=tuple(fixes),
        )
    ]


def line_off_roots(found: Analysis) -> list[Finding]:
    """Notes that are neither the root said for their bar nor its fifth."""
    track = found.track
    off = off_roots(track)
    if not off:
        return []
    sheet = track.sheet
    names = dict.fromkeys(spelled(one.note, sheet.tonic, sheet.scale, sheet.middle_c) for one in off)
    return [
        Finding(
            id="line-off-roots",
            step="track",
            topic="roots",
            severity="note",
            title="Notes of the line are off their bar's root",
            reason=f"{len(off)} of {len(track.notes())} notes are neither root nor fifth of their bar: {', '.join(names)}.",
            value=float(len(off)),
            unit="notes",
            limit=0,
            limit_kind="this project's choice",
            place_beats=off[0].at_beats,
        )
    ]


FINDERS = (notes_overlap, line_outside_key, line_off_roots)
