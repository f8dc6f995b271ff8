"""Findings of the bass line as it is written: a single voice plays it."""

from __future__ import annotations

from itertools import pairwise

from juglant.core.findings.finding import Finding, Fix
from juglant.core.mix.analyse import Analysis
from juglant.core.model.track import BassNote, Track

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
    return track.model_copy(update={"bass_notes": tuple(kept)})


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


FINDERS = (notes_overlap,)
