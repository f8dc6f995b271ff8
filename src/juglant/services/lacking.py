"""What a hit lacks, and which sounds of the shelf and of the engines bring it."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from juglant.core.hit.recorded import RECORDED
from juglant.core.hit.starts import STARTS
from juglant.core.memory import newest
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.model.track import Track
from juglant.core.plans.lacking import Brought, Lack, Source, brought, lacks_of
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.take import Take
from juglant.services.takes import Shelf

MOST_TAKES, SHOWN = 60, 6


class Lacking(BaseModel):
    """What a hit lacks for a role, the most first; brought: sounds that bring the one asked for, the best first; roles:
    those that can be asked for."""

    model_config = ConfigDict(frozen=True)
    role: Role
    roles: tuple[Role, ...]
    lacks: tuple[Lack, ...]
    brought: tuple[Brought, ...]


@newest(24)
def _lacks(hit: Hit, role: Role, sample_rate: int, bpm: float) -> tuple[Lack, ...]:
    return tuple(lacks_of(hit, role, sample_rate=sample_rate, bpm=bpm))


@newest(24)
def _brought(
    hit: Hit, role: Role, lack: Lack, sources: tuple[Source, ...], sample_rate: int, bpm: float
) -> tuple[Brought, ...]:
    return tuple(brought(hit, role, lack, list(sources), sample_rate=sample_rate, bpm=bpm)[:SHOWN])


def _of_engines(role: Role) -> list[Source]:
    """Layers of starting points: of the role first, of drums that are struck like it then."""
    near = [one for one in STARTS if one.role == role] + [one for one in STARTS if one.role == "percussion"]
    return [
        Source(f"{layer.name} of {one.name}", layer)
        for one in near
        for layer in one.hit.layers
        if not isinstance(layer.source, Rumble)
    ]


def lacking(shelf: Shelf, track: Track, part: str, asked: Role | None, which: int) -> Lacking:
    """What a hit lacks for a role (None: its own, where recorded ones are known), and sounds for one lack by its place.

    Raises NoSuchPart and InvalidTrack.
    """
    own, hit, sheet = track.hit_of(part).role, track.hit_of(part).hit, track.sheet
    known: list[Role] = [one for one in RECORDED if one == own]
    role = asked or (known[0] if known else "percussion")
    found = _lacks(hit, role, sheet.sample_rate, sheet.bpm)
    made: tuple[Brought, ...] = ()
    if which < len(found):
        takes = [
            Source(one.name, Layer(id="take", name=one.name, source=Take(take=one.id, begin_ms=one.onset_ms or 0.0)))
            for one in [one for one in shelf.all() if one.read is not None][:MOST_TAKES]
        ]
        sources = (*takes, *_of_engines(role))
        made = _brought(hit, role, found[which], sources, sheet.sample_rate, sheet.bpm)
    return Lacking(role=role, roles=tuple(RECORDED), lacks=found, brought=made)
