"""What a command is: what is asked, as data; carried out it gives a new track, a label and what is to be said of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from juglant.core.model.ids import BASS_PART, KICK_ID, PART_PATTERN
from juglant.core.model.track import Track

LONGEST_LABEL = 80
# What is said of a command that leaves the track as it was, where it has nothing better to say.
NOTHING_CHANGED = "nothing was changed: it is as this would make it"


@dataclass(frozen=True)
class Done:
    """A track with a command carried out, what the step is called, and what is to be said of it."""

    track: Track
    label: str
    said: tuple[str, ...] = ()


class Asked(BaseModel, ABC):
    """A command; each kind has a word of its own in `kind`, by which it is told from the others."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @abstractmethod
    def done(self, track: Track) -> Done:
        """A track with this carried out; raises InvalidTrack, or NoSuchPart, where it cannot be."""


class OfHit(Asked):
    """A command that concerns one hit, the kick where none is named."""

    part: str = Field(default=KICK_ID, max_length=40, pattern=PART_PATTERN)


class OfPart(Asked):
    """A command that concerns one part, the bass where none is named."""

    part: str = Field(default=BASS_PART, max_length=40, pattern=PART_PATTERN)
