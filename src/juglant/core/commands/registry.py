"""All commands: one line each. A new one is a class with a `kind` of its own, and its name here."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from juglant.core.commands.command import LONGEST_LABEL, NOTHING_CHANGED, Done
from juglant.core.commands.copies import CopyHit
from juglant.core.commands.dissect import Dissect
from juglant.core.commands.hits import (
    AddLayer,
    ClickToBody,
    DriveHighs,
    EvenLine,
    FitLayers,
    FollowSchool,
    Morph,
    SetLength,
    ShortenKick,
    StartFrom,
    TakeCure,
    Tune,
    TuneAll,
)
from juglant.core.commands.lines import DoubleLine, LineInTurn, LineOnRoots
from juglant.core.commands.making import MakeIt
from juglant.core.commands.place import Balance
from juglant.core.commands.reinforce import Reinforce
from juglant.core.commands.room import (
    AlignBass,
    AlignLow,
    ClearPart,
    ComputeCarve,
    ComputeDuck,
    ComputeDucks,
    ComputePartDuck,
    CutForPair,
    DuckAnother,
    DuckOfItsOwn,
    Feature,
    GiveZone,
    LeaveHeadroom,
    MakeRoom,
    RemoveRoom,
    SeparateLowGroup,
    SetOrder,
    SetShare,
    StandIn,
)
from juglant.core.commands.sources import BassFromLoop, KickFromLoop, SayStroke
from juglant.core.commands.swell import Swell
from juglant.core.commands.whole import Describe, FitDucks, MakeSwap, TakeFix, TakeProposal
from juglant.core.model.track import Track

Command = Annotated[
    Describe | FitDucks | TakeFix | TakeProposal | MakeSwap
    | ComputeCarve | ComputeDuck | ComputePartDuck | ComputeDucks | DuckAnother | StandIn | DuckOfItsOwn
    | MakeRoom | RemoveRoom | SetShare | SetOrder | AlignBass | AlignLow | ClearPart | CutForPair | SeparateLowGroup
    | GiveZone | Feature | Balance | LeaveHeadroom | CopyHit | StartFrom | AddLayer | DriveHighs | FitLayers | Morph
    | SetLength | ClickToBody | ShortenKick | MakeIt | Reinforce | Dissect | Swell | Tune | TuneAll
    | FollowSchool | TakeCure | EvenLine | LineOnRoots | DoubleLine | LineInTurn | KickFromLoop | SayStroke | BassFromLoop,
    Field(discriminator="kind"),
]  # fmt: skip


def carried_out(track: Track, command: Command) -> Done:
    """A track with a command carried out; raises InvalidTrack, or NoSuchPart, where it cannot be.

    One that leaves the track as it was says so.
    """
    done = command.done(track)
    said = done.said or (() if done.track != track or isinstance(command, (Describe, FitDucks)) else (NOTHING_CHANGED,))
    return Done(done.track, done.label[:LONGEST_LABEL], said)
