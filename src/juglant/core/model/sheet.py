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
MOST_BARS = 16
MOST_BEATS = MOST_BARS * BEATS_PER_BAR
# Two sixteenths.
PAIR_BEATS = 0.5
STRAIGHT_PCT = 50.0


class Sheet(Description):
    """What the whole track agrees on."""

    tonic: Tonic = Field(default="C", title="Key")
    scale: ScaleName = Field(default="natural minor", title="Scale")
    bpm: float = parameter(126, 40, 260, "BPM", "Tempo in beats a minute.", title="Tempo", step=1)
    a4_hz: float = parameter(440, 415, 466, "Hz", "Concert pitch: the frequency of A4.", title="A4", step=1)
    middle_c: MiddleC = Field(default="C4", title="Middle C is called")
    owner: Owner = Field(default="kick", title="Who owns the sub")
    swing_pct: float = parameter(
        STRAIGHT_PCT,
        50,
        75,
        "%",
        "Where the second sixteenth of each pair falls; 50 is straight, 66.7 a triplet.",
        title="Swing",
        step=1,
    )
    bars: int = Field(default=2, ge=1, le=MOST_BARS, title="Bars")
    sample_rate: SampleRate = Field(default=48000, title="Sample rate")

    @property
    def length_beats(self) -> int:
        """Length of the loop in beats."""
        return self.bars * BEATS_PER_BAR

    def swung(self, at_beats: float) -> float:
        """Where a grid position sounds: each pair of sixteenths bends at the swing, whole eighths stay."""
        if self.swing_pct <= STRAIGHT_PCT:
            return at_beats
        pair, inside = divmod(at_beats, PAIR_BEATS)
        bend = PAIR_BEATS * self.swing_pct / 100
        half = PAIR_BEATS / 2
        moved = inside * bend / half if inside < half else bend + (inside - half) * (PAIR_BEATS - bend) / half
        return float(pair * PAIR_BEATS + moved)
