"""The track sheet: key, tempo, grid and who owns the sub."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from juglant.core.model.parameter import Description, parameter
from juglant.core.music.notes import MiddleC
from juglant.core.music.scales import ScaleName, Tonic

Owner = Literal["kick", "bass", "shared", "kick-is-bass"]
SampleRate = Literal[44100, 48000, 88200, 96000]
BEATS_PER_BAR = 4


class Sheet(Description):
    """What the whole track agrees on."""

    tonic: Tonic = Field(default="C", title="Key")
    scale: ScaleName = Field(default="natural minor", title="Scale")
    bpm: float = parameter(126, 40, 260, "BPM", "Tempo in beats a minute.", title="Tempo", step=1)
    a4_hz: float = parameter(440, 415, 466, "Hz", "Concert pitch: the frequency of A4.", title="A4", step=1)
    middle_c: MiddleC = Field(default="C4", title="Middle C is called")
    owner: Owner = Field(default="kick", title="Who owns the sub")
    bars: int = Field(default=2, ge=1, le=8, title="Bars")
    sample_rate: SampleRate = Field(default=48000, title="Sample rate")

    @property
    def length_beats(self) -> int:
        """Length of the loop in beats."""
        return self.bars * BEATS_PER_BAR
