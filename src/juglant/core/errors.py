"""The errors the core raises.

JuglantError
  InvalidAudio    the samples cannot be measured (empty, not finite, wrong shape, impossible rate)
  InvalidTrack    a description is not a track, or breaks a rule between its parts
  NoSuchPart      a hit, layer or stem was named that the track does not have
"""

from __future__ import annotations


class JuglantError(Exception):
    """Anything Juglant refuses, with a message a user can act on."""


class InvalidAudio(JuglantError):
    """Samples that cannot be measured or rendered."""


class InvalidTrack(JuglantError):
    """A description that is not a usable track."""


class NoSuchPart(JuglantError):
    """A part that the track does not have."""
