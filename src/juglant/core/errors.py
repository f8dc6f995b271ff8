"""The errors the core raises.

JuglantError
  InvalidAudio    the samples cannot be measured (empty, not finite, wrong shape, impossible rate)
    TakeTooLong       a file longer than a hit may be: a part of it can be asked for
    TooManyChannels   more than two channels: two of them, or a mix, can be asked for
  InvalidMidi     a file has no notes that can be read
  InvalidTrack    a description is not a track, or breaks a rule between its parts
  MissingSound    a recorded sound that has to be measured is not there
  Stopped         long work was stopped before it was done
    Abandoned         because nobody waits for it any more
  NoSuchPart      a hit, layer or stem was named that the track does not have
"""

from __future__ import annotations


class JuglantError(Exception):
    """Anything Juglant refuses, with a message a user can act on."""


class InvalidAudio(JuglantError):
    """Samples that cannot be measured or rendered."""


class TakeTooLong(InvalidAudio):
    """A file longer than a hit; `fields` say where its part may begin and where it is loudest, s."""

    def __init__(self, message: str, *, last_s: float = 0.0, loudest_s: float = 0.0) -> None:
        super().__init__(message)
        self.fields = [
            {"field": "from_s", "message": f"must be 0 to {last_s:.3f}"},
            {"field": "loudest_s", "message": f"{loudest_s:.3f}"},
        ]


class TooManyChannels(InvalidAudio):
    """More channels than a hit has; `fields` say how many."""

    def __init__(self, message: str, count: int = 3) -> None:
        super().__init__(message)
        self.fields = [{"field": "channels", "message": f"must be 1 or 2, got {count}"}]


class InvalidMidi(JuglantError):
    """A file that is no MIDI file, or none that can be used."""


class InvalidTrack(JuglantError):
    """A description that is not a usable track."""


class MissingSound(JuglantError):
    """A recorded sound that is not there."""


class NoSuchPart(JuglantError):
    """A part that the track does not have."""


class Stopped(JuglantError):
    """Long work that was stopped before it was done."""


class Abandoned(Stopped):
    """Long work that was stopped because nobody waited for it any more."""
