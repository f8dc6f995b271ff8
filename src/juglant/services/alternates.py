"""Several sounds of the shelf as one hit whose recordings are played in turn."""

from __future__ import annotations

from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from juglant.core.hit.alternates import Alternates, Grouped, Picked, alternates_of, strokes_in, unlike
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.synth.takes import ID_PATTERN, find_take
from juglant.services.takes import LONGEST_NAME, Shelf

MOST_TAKES = 32


class Stroked(BaseModel):
    """One stroke by its take and its number in it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    take: str = Field(pattern=ID_PATTERN)
    number: int = Field(ge=1, le=10000)


class Recordings(BaseModel):
    """Sounds of one thing. strokes: which are played; without them all that may serve."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    takes: tuple[Annotated[str, Field(pattern=ID_PATTERN)], ...] = Field(min_length=1, max_length=MOST_TAKES)
    strokes: tuple[Stroked, ...] | None = Field(default=None, max_length=2000)


class InTurn(BaseModel):
    """What would be made: every stroke that was found, those that are played, and the hit."""

    model_config = ConfigDict(frozen=True)
    found: tuple[Picked, ...]
    played: tuple[Grouped, ...]
    said: tuple[str, ...]
    hit: Hit


@newest(32)
def _strokes(take: str) -> tuple[Picked, ...]:
    """Pure: a take never changes."""
    found = find_take(take)
    return () if found is None else tuple(strokes_in(take, found))


@newest(16)
def _grouped(picked: tuple[Picked, ...]) -> Alternates:
    takes = {one.take: found for one in picked if (found := find_take(one.take)) is not None}
    return alternates_of(list(picked), takes)


@newest(16)
def _found(takes: tuple[str, ...]) -> tuple[Picked, ...]:
    picked = [one for take in takes for one in _strokes(take)]
    known = {take: found for take in takes if (found := find_take(take)) is not None}
    other = unlike(picked, known)
    return tuple(
        Picked(**{**one.__dict__, "why_not": "it is unlike the others"}) if at in other and one.why_not is None else one
        for at, one in enumerate(picked)
    )


def in_turn_of(shelf: Shelf, asked: Recordings) -> InTurn:
    """Several sounds as one hit, nothing of it stored; raises NotFound and InvalidAudio."""
    takes = tuple(dict.fromkeys(asked.takes))
    for take in takes:
        shelf.the(take)
    found = _found(takes)
    wanted = None if asked.strokes is None else {(one.take, one.number) for one in asked.strokes}
    played = tuple(one for one in found if (one.why_not is None if wanted is None else (one.take, one.number) in wanted))
    made = _grouped(played)
    layer = Layer(id="take-1", name=asked.name, source=made.source)
    return InTurn(found=found, played=made.strokes, said=made.said, hit=Hit(layers=(layer,), velocity=made.velocity))
