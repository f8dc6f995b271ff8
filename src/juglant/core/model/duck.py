"""Ducking: who makes room in time, keyed by what, by which curve."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal, Self

from pydantic import Field, model_validator

from juglant.core.model.ids import MOST_PARTS
from juglant.core.model.sheet import MOST_BEATS
from juglant.core.parameter.parameter import Description, parameter

KeyKind = Literal["kick", "hits", "trigger", "grid", "notes"]
TriggerPattern = Literal["as the kick", "eighths", "sixteenths", "off-beats", "free"]
Together = Literal["deepest", "sum"]
Space = Literal["with the part", "rings on"]
Drive = Literal["curve", "compressor"]
MakeUp = Literal["off", "computed", "manual"]
BASS_PART = "bass"
# Bass, kick, every hit and stem may be ducked; the kick, every hit and stem may be keys.
MOST_CURVES, MOST_KEYS, MOST_TRIGGERS = 5, MOST_PARTS - 1, 1024
# The earliest point of a drawn curve, the latest, and how many.
EARLIEST_MS, LATEST_MS, MOST_POINTS = -120.0, 3000.0, 24
DEPTH_LIMIT_DB = 24.0
# What a computed curve is computed for today; one of an older aim keeps its sound until it is computed anew.
DUCK_AIM = 1
PART_PATTERN = r"^[a-z0-9-]+$"


class Key(Description):
    """What restarts a curve: the audible kick, some hits, the silent trigger, the tempo grid, or the notes of the bass."""

    kind: KeyKind = Field(default="kick", title="Keyed by")
    hit_ids: tuple[str, ...] = Field(default=(), max_length=MOST_KEYS, description="The hits that key it.")
    grid_beats: float = parameter(1, 0.25, 4, "beats", "Distance of the grid's keys.", title="Every", step=0.25)
    offset_beats: float = parameter(0, 0, 4, "beats", "Where the first of them is.", title="From", step=0.25)


class Trigger(Description):
    """A pattern of keys that nobody hears; it runs on where the kick rests."""

    pattern: TriggerPattern = Field(default="as the kick", title="Silent trigger")
    at_beats: tuple[float, ...] = Field(default=(), max_length=MOST_TRIGGERS, description="Its places where it is free.")


class CurvePoint(Description):
    """A point of a drawn curve: the gain so long after the key."""

    at_ms: float = parameter(0, EARLIEST_MS, LATEST_MS, "ms", "Time after the key.", title="At", step=1)
    gain_db: float = parameter(0, -DEPTH_LIMIT_DB, 0, "dB", "The gain there.", title="Gain", step=0.5)


class KeyedCompressor(Description):
    """A keyed compressor: feed-forward, soft knee, smooth decoupled attack and release; times to 63 %."""

    threshold_db: float = parameter(
        -24, -60, 0, "dBFS", "Level of the key above which it acts.", title="Threshold", step=0.5
    )
    ratio: float = parameter(
        4, 1.1, 20, "", "dB of key for one dB of output above it.", title="Ratio", scale="log", step=0.1
    )
    attack_ms: float = parameter(3, 1, 60, "ms", "To 63 % of the way down.", title="Attack", scale="log", step=0.5)
    release_ms: float = parameter(80, 10, 1000, "ms", "To 63 % of the way back.", title="Release", scale="log", step=5)
    knee_db: float = parameter(6, 0, 18, "dB", "Width over which it sets in.", title="Knee", step=0.5)
    early_ms: float = parameter(
        0, 0, 120, "ms", "How much ahead of the sound its key is sent.", title="Key sent early", step=1
    )
    make_up: MakeUp = Field(
        default="off", title="Make-up gain", description="Computed: what the gain takes of a steady sound over the loop."
    )
    make_up_db: float = parameter(0, 0, 24, "dB", "Make-up gain by hand.", title="Make-up", step=0.5)


class Fit(Description):
    """What a curve was computed for, each as a short hash, and what had changed since the time before."""

    kick: str = Field(max_length=16)
    tempo: str = Field(max_length=16)
    carve: str = Field(max_length=16)
    part: str = Field(max_length=16)
    keys: str = Field(default="", max_length=16, description="Other keys than the kick's.")
    curve: str = Field(max_length=16, description="The curve as computed: by hand since where it differs.")
    because: tuple[str, ...] = Field(default=(), max_length=5)
    aim: int = Field(default=0, ge=0, le=100, description="What it was computed for; 0: an aim before the present one.")


class Duck(Description):
    """A gain curve restarted by every key: fall ahead of it, hold, return; or drawn; or a compressor's."""

    key: Key = Key()
    drive: Drive = Field(
        default="curve", title="Gain by", description="The curve, or a keyed compressor that stands in for it."
    )
    compressor: KeyedCompressor = KeyedCompressor()
    drawn: tuple[CurvePoint, ...] = Field(
        default=(),
        max_length=MOST_POINTS,
        description="Points drawn by hand, straight in dB between; where there are any they are the curve.",
    )
    fitted: Fit | None = None
    refit: bool = Field(
        default=True, title="Fit again by itself", description="A computed curve follows kick, tempo, carve and part."
    )

    on: bool = Field(default=False, title="Duck")
    depth_db: float = parameter(9, 0, 24, "dB", "How far the bass goes down.", title="Depth", step=0.5)
    lookahead_ms: float = parameter(
        10, 0, 120, "ms", "How long before the kick the fall begins.", title="Look-ahead", step=1
    )
    fall_ms: float = parameter(4, 1, 60, "ms", "Time from full level to the depth.", title="Fall", scale="log", step=1)
    hold_ms: float = parameter(90, 0, 1500, "ms", "Time after the kick at the depth.", title="Hold", step=5)
    return_ms: float = parameter(
        120, 20, 1500, "ms", "Time from the depth back to full level.", title="Return", scale="log", step=5
    )
    shape: float = parameter(
        1,
        0.3,
        3,
        "",
        "1 rises evenly in dB; above it swells late, below it early.",
        title="Shape",
        scale="log",
        step=0.1,
        words={0.3: "early", 1: "even", 3: "late"},
    )
    spare_ms: float = parameter(
        0, 0, 60, "ms", "The part's own starts are left alone for so long.", title="Own starts spared", step=1
    )
    recovery_beats: float | None = Field(
        default=None,
        gt=0,
        le=MOST_BEATS,
        title="Recovery point",
        description="Beats after the kick by which the bass is back; empty: found from the pattern.",
        json_schema_extra={"unit": "beats"},
    )

    @model_validator(mode="after")
    def _points_in_order(self) -> Self:
        times = [one.at_ms for one in self.drawn]
        if len(times) == 1:
            raise ValueError("drawn must have two points or more, or none, got 1")
        if any(later <= earlier for earlier, later in pairwise(times)):
            raise ValueError("drawn must go forward in time: each at_ms after the one before it")
        if self.drawn and (self.drawn[0].gain_db < 0 or self.drawn[-1].gain_db < 0):
            raise ValueError("drawn must begin and end at 0 dB: a curve that is never back only turns the part down")
        return self


class Ducked(Description):
    """How a part is ducked: its curves, how they go together, and how much of the part they move."""

    curves: tuple[Duck, ...] = Field(default=(), max_length=MOST_CURVES)
    follows: str | None = Field(
        default=None, max_length=40, pattern=PART_PATTERN, description="The part whose gain it takes in place of its own."
    )
    scale_pct: float = parameter(100, 10, 200, "%", "How much of the gain it follows, in dB.", title="Of its depth", step=5)
    goal_db: float | None = Field(
        default=None,
        ge=-20,
        le=30,
        title="Goal",
        description="Kick over this part, for a goal of one's own; empty: by the owner of the sub.",
        json_schema_extra={"unit": "dB"},
    )
    together: Together = Field(
        default="deepest", title="Curves together", description="Where several act at once: the deepest, or their sum."
    )
    limit_db: float = parameter(24, 3, 48, "dB", "Their sum goes no deeper.", title="Sum limit", step=1)
    split: bool = Field(default=False, title="Only below", description="Only what lies below a corner is ducked.")
    split_hz: float = parameter(150, 60, 2000, "Hz", "Below it the part is ducked.", title="Split", scale="log", step=10)
    space: Space = Field(
        default="with the part",
        title="Reverb and delay",
        description="Ducked with the part, or fed by the ducked part and left to ring on.",
    )
