"""Impacts of a take: found, measured, ranked for a role, and cut into takes of their own."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from juglant.core.errors import InvalidAudio
from juglant.core.hit.recorded import RECORDED
from juglant.core.hit.role_of import ReadRole, role_of
from juglant.core.hit.serves import Serves, serves
from juglant.core.measure.character import measure_character
from juglant.core.measure.impacts import Impact, find_impacts
from juglant.core.measure.stereo import for_measuring
from juglant.core.memory import newest
from juglant.core.model.ids import Role
from juglant.core.pictures.layers import outline
from juglant.core.signal.envelope import with_edges
from juglant.core.synth.takes import TakeAudio, find_take
from juglant.core.types import Samples
from juglant.services.takes import LONGEST_NAME, LoadedTake, MadeOf, Shelf

# So much of an impact is what it is like; what is cut fades out over so long.
CHARACTER_S, FADE_MS, START_MS = 2.0, 5.0, 0.1
MOST_CUTS, COLUMNS = 32, 720


class FoundImpact(BaseModel):
    """One impact, in the order of the recording, with how well it serves as the role asked for; read: what it rather is."""

    model_config = ConfigDict(frozen=True)
    number: int
    impact: Impact
    asked: Serves
    read: ReadRole


class Impacts(BaseModel):
    """All impacts of a take, the best for the role first; roles: those that can be asked for; low, high: its waveform,
    (columns,)."""

    model_config = ConfigDict(frozen=True)
    take: str
    role: Role
    roles: tuple[Role, ...]
    duration_s: float
    found: tuple[FoundImpact, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]


class Cut(BaseModel):
    """A stretch of a take that becomes a take of its own."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    begin_s: float = Field(ge=0)
    end_s: float = Field(gt=0)
    name: str = Field(min_length=1, max_length=LONGEST_NAME)


Weighed = tuple[Impact, dict[Role, Serves], ReadRole]


def weighed(one: Impact, stretch: Samples, rate: int) -> Weighed | None:
    """An impact with what it serves as, by its own samples, (frames,), from its beginning; None where it is silent."""
    character = measure_character(stretch, sample_rate=rate)
    read = role_of(stretch, sample_rate=rate)
    if character is None or read is None:
        return None
    return one, {role: fit for role in RECORDED if (fit := serves(role, character, one)) is not None}, read


def heard_of(one: Impact) -> tuple[float, float]:
    """From where to where an impact is listened to, s."""
    return one.begin_s, min(one.end_s, one.begin_s + CHARACTER_S)


@newest(8)
def _measured(take: str) -> tuple[Weighed, ...]:
    """Every impact of a take with what it serves as (pure: a take never changes)."""
    found = find_take(take)
    if found is None:
        return ()
    mono, rate, out = for_measuring(found.audio), found.sample_rate, []
    for one in find_impacts(mono, sample_rate=rate):
        first, last = (round(at * rate) for at in heard_of(one))
        out.append(weighed(one, mono[first:last], rate))
    return tuple(one for one in out if one is not None)


def ranked(measured: tuple[Weighed, ...], role: Role) -> tuple[FoundImpact, ...]:
    """Impacts as they serve as a role, the best first; raises InvalidAudio for a role nobody recorded."""
    if role not in RECORDED:
        raise InvalidAudio(f"nothing is known of recorded sounds of the role {role!r}: ask for {', '.join(RECORDED)}")
    found = [
        FoundImpact(number=number, impact=impact, asked=fits[role], read=read)
        for number, (impact, fits, read) in enumerate(measured, 1)
    ]
    return tuple(sorted(found, key=lambda one: -one.asked.share))


def impacts_of(shelf: Shelf, take: str, role: Role) -> Impacts:
    """Impacts of a take, the best for a role first; raises NotFound, and InvalidAudio for a role nobody recorded."""
    audio = shelf.the(take)
    mono = for_measuring(audio.audio)
    low, high = outline(mono, COLUMNS)
    return Impacts(
        take=take,
        role=role,
        roles=tuple(RECORDED),
        duration_s=mono.size / audio.sample_rate,
        found=ranked(_measured(take), role),
        low=low,
        high=high,
    )


def edged(stretch: Samples, name: str, *, sample_rate: int) -> Samples:
    """A stretch of a recording as it is cut, (channels, frames): its start as it is, its end faded over 5 ms; raises
    InvalidAudio where it is empty."""
    if stretch.shape[1] < 2:
        raise InvalidAudio(f"{name} is empty: its end lies at or before its beginning, or behind the sound")
    return np.stack([with_edges(row, start_ms=START_MS, end_ms=FADE_MS, sample_rate=sample_rate) for row in stretch])


def cut_takes(shelf: Shelf, take: str, cuts: tuple[Cut, ...]) -> list[LoadedTake]:
    """Stretches of a take as takes of their own, to the sample; raises NotFound, and InvalidAudio for one that is empty.

    The start is as it is recorded, which is silent where it was cut at a turn of the wave; the end fades over 5 ms.
    """
    audio = shelf.the(take)
    rate, parts = audio.sample_rate, []
    for one in cuts:
        first, last = round(one.begin_s * rate), round(one.end_s * rate)
        parts.append((one.name, first / rate, edged(audio.audio[:, first:last], one.name, sample_rate=rate)))
    return [
        shelf.keep(name, TakeAudio(part, rate), made_of=MadeOf(way="cut", take=take, begin_s=begin_s))
        for name, begin_s, part in parts
    ]
