"""Limits of tuning: how far a hit may go, and how well its landing must be known."""

from __future__ import annotations

from juglant.core.model.track import Track

# Beyond this a hit changes character: this project's choice.
CHARACTER_SEMITONES = 4


def too_wide(track: Track, uncertainty_cents: float | None) -> bool:
    """Whether a landing is known less well than the key asks: its distance from a note then says nothing."""
    return uncertainty_cents is not None and uncertainty_cents > track.limits.key_look_cents
