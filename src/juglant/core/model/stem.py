"""Which stem: a part, and in which state it is. Text only in file names and addresses, never read back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from juglant.core.model.ids import BASS_PART, KICK_ID

StemState = Literal["heard", "unducked", "before"]


@dataclass(frozen=True)
class StemRef:
    """One stem of a track: as heard, un-ducked, or before any carve and duck."""

    part: str
    state: StemState = "heard"

    @property
    def is_low(self) -> bool:
        """Whether it is the kick's or the bass's, which no hit of the kit may be called."""
        return self.part in (KICK_ID, BASS_PART)

    def of(self, state: StemState) -> StemRef:
        """The same part in another state."""
        return StemRef(self.part, state)

    @property
    def file_name(self) -> str:
        """What its file is called, without an ending: `kick`, `bass-before`, `kit-clap-unducked`."""
        return part_file_name(self.part) + ("" if self.state == "heard" else f"-{self.state}")


def part_file_name(part: str) -> str:
    """What a part's files are called: hits of the kit begin with `kit-`."""
    return part if part in (KICK_ID, BASS_PART) else f"kit-{part}"


KICK, BASS = StemRef(KICK_ID), StemRef(BASS_PART)
