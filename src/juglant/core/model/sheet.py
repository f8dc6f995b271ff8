"""The track sheet: key, tempo, grid and who owns the sub."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from pydantic import Field, field_validator

from juglant.core.music.notes import MiddleC
from juglant.core.music.scales import ScaleName, Tonic
from juglant.core.music.tempo import BEATS_PER_BAR, MOST_BARS
from juglant.core.parameter.parameter import Description, parameter

# Who has all of it, or one owner for each stretch of it.
School = Literal["kick", "bass", "shared", "kick-is-bass"]
ZoneOwner = Literal["kick", "bass", "shared"]
Owner = Literal["kick", "bass", "shared", "kick-is-bass", "zones"]
SampleRate = Literal[44100, 48000, 88200, 96000]
MOST_BEATS = MOST_BARS * BEATS_PER_BAR
# Two sixteenths.
PAIR_BEATS = 0.5
STRAIGHT_PCT = 50.0
MOST_ZONES = 5
LOWEST_ZONE_HZ = 20.0


class Zone(Description):
    """A stretch of the low end and whose it is; it begins where the one below ends, the lowest at 20 Hz."""

    to_hz: float = parameter(100, 22, 225, "Hz", "Where the zone ends.", title="Up to", scale="log", step=1)
    owner: ZoneOwner = Field(default="shared", title="Whose it is")


class Sheet(Description):
    """What the whole track agrees on."""

    tonic: Tonic = Field(default="C", title="Key")
    scale: ScaleName = Field(default="natural minor", title="Scale")
    bpm: float = parameter(126, 40, 260, "BPM", "Tempo in beats a minute.", title="Tempo", step=1)
    a4_hz: float = parameter(440, 415, 466, "Hz", "Concert pitch: the frequency of A4.", title="A4", step=1)
    middle_c: MiddleC = Field(default="C4", title="Middle C is called")
    owner: Owner = Field(default="kick", title="Who owns the sub")
    zones: tuple[Zone, ...] = Field(
        default=(Zone(to_hz=70, owner="kick"), Zone(to_hz=141, owner="bass"), Zone(to_hz=224, owner="shared")),
        min_length=1,
        max_length=MOST_ZONES,
        description="Owners from the bottom up, where it is owned by zones.",
    )
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
    roots: tuple[Annotated[int, Field(ge=0, le=11)] | None, ...] = Field(
        default=(), max_length=MOST_BARS, title="Roots", description="Root of each bar's chord, as a pitch class from C."
    )
    sample_rate: SampleRate = Field(default=48000, title="Sample rate")

    @field_validator("zones")
    @classmethod
    def _zones_rise(cls, zones: tuple[Zone, ...]) -> tuple[Zone, ...]:
        for below, zone in pairwise(zones):
            if zone.to_hz <= below.to_hz:
                raise ValueError(f"zones must rise: one up to {zone.to_hz:g} Hz stands above one up to {below.to_hz:g} Hz")
        return zones

    @property
    def length_beats(self) -> int:
        """Length of the loop in beats."""
        return self.bars * BEATS_PER_BAR

    @property
    def bass_from_hz(self) -> float | None:
        """Where the lowest zone of the bass's own begins, Hz; None without one, and where the low end has one owner."""
        owners = [zone.owner for zone in self.zones] if self.owner == "zones" else []
        if "bass" not in owners:
            return None
        first = owners.index("bass")
        return self.zones[first - 1].to_hz if first else LOWEST_ZONE_HZ

    def swung(self, at_beats: float) -> float:
        """Where a grid position sounds: each pair of sixteenths bends at the swing, whole eighths stay."""
        if self.swing_pct <= STRAIGHT_PCT:
            return at_beats
        pair, inside = divmod(at_beats, PAIR_BEATS)
        bend = PAIR_BEATS * self.swing_pct / 100
        half = PAIR_BEATS / 2
        moved = inside * bend / half if inside < half else bend + (inside - half) * (PAIR_BEATS - bend) / half
        return float(pair * PAIR_BEATS + moved)
