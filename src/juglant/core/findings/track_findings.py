"""Findings of the track sheet and the pattern."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding

TOGETHER_BEATS = 1 / 32


def bass_starts(found: Analysis) -> list[Finding]:
    """Whether bass notes start with the kick or in its gaps, read from the pattern."""
    track = found.track
    kicks, notes = track.kicks(), track.notes()
    if not kicks or not notes:
        return []
    length = track.sheet.length_beats
    together = [
        note
        for note in notes
        if any(min((note.at_beats - k) % length, (k - note.at_beats) % length) < TOGETHER_BEATS for k in kicks)
    ]
    share = len(together) / len(notes)
    if share == 0:
        title, reason = (
            "Bass starts in the kick's gaps",
            "No bass note starts with a kick: tail length and return time decide.",
        )
    elif share == 1:
        title, reason = (
            "Bass starts with the kick",
            "Every bass note starts with a kick: judge how the two sum, and spare its attack.",
        )
    else:
        title = "Bass starts both with the kick and in its gaps"
        reason = f"{len(together)} of {len(notes)} bass notes start with a kick; those need the duck, the rest the return."
    return [
        Finding(
            id="bass-starts",
            step="track",
            severity="note",
            title=title,
            reason=reason,
            value=100 * share,
            unit="% with the kick",
            limit=None,
            limit_kind="common practice",
        )
    ]


FINDERS = (bass_starts,)
