"""Findings of lines that other parts than the bass play: notes that are not heard at their pitch."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding, Fix
from juglant.core.loop.render import own_parts
from juglant.core.model.ids import BASS_PART
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.synth.bass import LAYERS
from juglant.core.tune.part_lines import OFF_CENTS, line_of_part


def _with_lines(track: Track) -> list[Part]:
    """Parts whose line is played by a hit: the bass too where it is layers of its own."""
    layered = [track.hit_of(BASS_PART)] if track.bass.source == LAYERS else []
    return [*layered, *own_parts(track)]


def notes_unheard(found: Analysis) -> list[Finding]:
    """Notes written for a part in which no pitch could be measured: it is struck there, as it is."""
    track, out = found.track, []
    for one in _with_lines(track):
        strokes = track.strokes_of(one)
        notes = [stroke for stroke in strokes if stroke.note is not None]
        if not notes or (why := line_of_part(track, one.id).unheard) is None:
            continue
        plain = tuple(stroke.model_copy(update={"note": None}) for stroke in strokes)
        # The bass has notes and nothing else.
        made = () if one.id == BASS_PART else (Fix(label="Make them strokes", track=track.with_strokes(one.id, plain)),)
        out.append(
            Finding(
                id=f"notes-unheard-{one.id}",
                step="track",
                severity="look",
                title=f"{one.name}: its notes are not heard as notes",
                reason=f"{why[0].upper()}{why[1:]}. It is struck where they are, always at the same pitch.",
                value=float(len(notes)),
                unit="notes",
                limit=0,
                limit_kind="this project's choice",
                hit_id=one.id,
                place_beats=notes[0].at_beats,
                fixes=made,
            )
        )
    return out


def notes_off(found: Analysis) -> list[Finding]:
    """Notes of a part's line that its sound does not reach."""
    track, out = found.track, []
    for one in _with_lines(track):
        if not any(stroke.note is not None for stroke in track.strokes_of(one)):
            continue
        off = [note for note in line_of_part(track, one.id).notes if note.off and note.off_cents is not None]
        if not off:
            continue
        worst = max(off, key=lambda note: abs(note.off_cents or 0))
        told = ", ".join(f"{note.name} {note.off_cents:+.0f}" for note in off[:4])
        out.append(
            Finding(
                id=f"notes-off-{one.id}",
                step="track",
                severity="look",
                title=f"{one.name} does not reach every note of its line",
                reason=(
                    f"Measured against the note, cents: {told}. Its sound is moved by 24 semitones at most: write the line "
                    "nearer to where it is, or retune its layers."
                ),
                value=abs(worst.off_cents or 0),
                unit="cents",
                limit=OFF_CENTS,
                limit_kind="this project's choice",
                hit_id=one.id,
            )
        )
    return out


FINDERS = (notes_unheard, notes_off)
