"""The tracks as a list: what each is, a new one, one like another, another name."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidTrack
from juglant.core.model.track import Track, track_from_document
from juglant.services.tracks import Start, State, Workspace, starting_track

LONGEST_NAME = 80


class TrackLine(BaseModel):
    """One line of the list: what a track is, when it was changed last, and what is written in it, in beats.

    notes: start, length and number of each note of the bass.
    """

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    tonic: str
    scale: str
    bpm: float
    changed_at: str
    length_beats: int
    kicks: tuple[float, ...]
    notes: tuple[tuple[float, float, int], ...]


def track_lines(store: Workspace) -> list[TrackLine]:
    """Every track that is not put away, the one changed last first."""
    out = []
    for track_id, name, changed_at in store.listed():
        track = store.state(track_id).track
        sheet = track.sheet
        out.append(
            TrackLine(
                id=track_id,
                name=name,
                tonic=sheet.tonic,
                scale=sheet.scale,
                bpm=sheet.bpm,
                changed_at=changed_at,
                length_beats=sheet.length_beats,
                kicks=tuple(track.kicks()),
                notes=tuple((one.at_beats, one.length_beats, one.note) for one in track.notes()),
            )
        )
    return out


def free_name(wanted: str, taken: Collection[str]) -> str:
    """The name, or the first of it with a number behind it that nothing has."""
    if wanted not in taken:
        return wanted
    number = 2
    while (name := f"{wanted[: LONGEST_NAME - len(str(number)) - 1]} {number}") in taken:
        number += 1
    return name


def _taken(store: Workspace) -> set[str]:
    return {name for _, name, _ in store.listed()}


def begun(store: Workspace, start: Start, name: str | None, sheet: Mapping[str, str | float]) -> State:
    """A new track with a name, key and tempo where they are said; raises InvalidTrack where they are none."""
    track = starting_track(start)
    document = track.model_dump(mode="json")
    document["sheet"] = {**document["sheet"], **sheet}
    document["name"] = free_name(name.strip() if name else track.name, _taken(store))
    return store.create(track_from_document(document), label="New track")


def duplicated(store: Workspace, track_id: str) -> State:
    """A track of its own, as another stands; raises NotFound."""
    track = store.state(track_id).track
    return store.create(_named(track, free_name(track.name, _taken(store))), label=f"Duplicate of {track.name}"[:80])


def renamed(store: Workspace, track_id: str, name: str) -> State:
    """A track under another name, as one step; raises NotFound, or InvalidTrack where there is nothing left of it."""
    now = store.state(track_id)
    if not name.strip():
        raise InvalidTrack("a name needs at least one character that is seen")
    return store.edit(track_id, now.edition, _named(now.track, name.strip()), label="Rename")


def _named(track: Track, name: str) -> Track:
    return track.model_copy(update={"name": name})
