"""Open, edit, undo and redo tracks; every change is on disk before it is acknowledged."""

from __future__ import annotations

import secrets
import sqlite3
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import jsonpatch

from juglant.core.errors import InvalidTrack
from juglant.core.memory import newest
from juglant.core.model.carve import Carve
from juglant.core.model.mended import mended
from juglant.core.model.references import consistent
from juglant.core.model.track import Track, track_from_document, track_from_json, track_to_line
from juglant.demo.kit import with_kit, with_targets
from juglant.demo.track import solved_track, untouched_track
from juglant.store import tracks as table
from juglant.store.database import may_write, migrate, opened, transaction
from juglant.store.errors import NotFound, NothingThere, Stale

Start = Literal["demo", "untouched", "empty"]


@dataclass(frozen=True)
class State:
    """A track as it stands, what undo and redo would do, and what was changed so that an older description opens."""

    id: str
    edition: int
    revision: int
    track: Track
    undo_label: str | None
    redo_label: str | None
    label: str
    gesture: str | None
    said: tuple[str, ...] = ()


@dataclass(frozen=True)
class Last:
    """What a page had not stored when it was left.

    patch: from the description of `revision`, the newest it knew, to what it showed (RFC 6902); gestures: of the changes
    that were on their way or waiting, in order; ordered: of the command that was on its way, in front of them.
    """

    revision: int
    patch: list[dict[str, Any]]
    label: str
    gestures: list[str]
    ordered: str | None = None


@dataclass(frozen=True)
class Workspace:
    """One database file."""

    path: Path

    def prepare(self) -> None:
        """Bring the file up to date, and leave out what no step back leads to; raises the errors of the store."""
        migrate(self.path)
        if may_write(self.path):
            with opened(self.path) as connection, transaction(connection):
                table.thin(connection)

    def list_tracks(self) -> list[tuple[str, str]]:
        """Id and name of every track that is not archived, the one changed last first."""
        return [(track_id, name) for track_id, name, _ in self.listed()]

    def listed(self) -> list[tuple[str, str, str]]:
        """Id, name and time of the last change of every track that is not archived, the one changed last first."""
        with opened(self.path) as connection:
            found = table.all_tracks(connection)
            return [(one.head.track_id, one.name, one.changed_at) for one in found if one.archived_at is None]

    def create(self, track: Track, *, label: str) -> State:
        """A new track; raises InvalidTrack where it names what it does not have."""
        track_id, track = secrets.token_hex(8), consistent(track)
        with opened(self.path) as connection:
            with transaction(connection):
                table.add_track(connection, track_id, label=label, name=track.name, body=track_to_line(track))
                return _state(connection, track_id)

    def state(self, track_id: str) -> State:
        """A track as it stands; raises NotFound."""
        with opened(self.path) as connection:
            found = _state(connection, track_id)
        if may_write(self.path):
            return found
        return replace(found, said=(*found.said, f"{self.path} may only be read: nothing can be stored in it"))

    def edit(self, track_id: str, edition: int, track: Track, *, label: str, gesture: str | None = None) -> State:
        """Append a revision; raises Stale where `edition` is not the newest, and changes nothing then.

        What the track had and has no more goes with all that names it; raises InvalidTrack where it names what was never
        there. gesture: edits that belong to one movement of the hand are undone together.
        """
        with opened(self.path) as connection:
            with transaction(connection):
                if not _arrived(connection, track_id, edition, track, gesture):
                    self._append(connection, _fresh(connection, track_id, edition), track, label=label, gesture=gesture)
                # Read within: once the transaction ends, the newest may be somebody else's.
                return _state(connection, track_id)

    def finish(self, track_id: str, edition: int, last: Last) -> State:
        """Store what a page had not stored when it was left: changes to the track as it knew it last.

        The change that was on its way may have arrived, or not. Raises Stale where the track was changed elsewhere, and
        InvalidTrack where the changes do not fit.
        """
        with opened(self.path) as connection:
            with transaction(connection):
                head = table.head_of(connection, track_id)
                known = _known(connection, track_id, last.revision)
                at = table.revision_of(connection, track_id, head.revision)
                next_one = at.parent == known.number and head.edition == edition + 1
                own = next_one and at.gesture in last.gestures
                ordered = next_one and last.ordered is not None and at.gesture == last.ordered
                # Ducks fitted meanwhile belong to the step that left them behind, and carry its gesture.
                if not own and not ordered and not _same_step(connection, track_id, edition, last.revision):
                    _fresh(connection, track_id, edition)
                track = _finished(at if not own else known, known, last.patch)
                gesture = last.gestures[-1] if last.gestures else None
                self._append(connection, head, track, label=last.label, gesture=gesture)
                return _state(connection, track_id)

    def _append(
        self, connection: sqlite3.Connection, head: table.Head, track: Track, *, label: str, gesture: str | None
    ) -> None:
        before = table.revision_of(connection, head.track_id, head.revision)
        was, mended_so = _parsed(before.body)
        track = consistent(track, was)
        # Compared as descriptions: how one is written down is no change.
        if track != was or mended_so:
            gesture = gesture or secrets.token_hex(8)
            table.append(connection, head, label=label, gesture=gesture, name=track.name, body=track_to_line(track))

    def undo(self, track_id: str, edition: int, revision: int | None = None) -> State:
        """Back by one step; raises Stale, or NothingThere at the first.

        revision: the one that was seen at `edition`. Where its own step has only gone on since (ducks fitted with it, the
        rest of a movement of the hand), that step is what was meant.
        """
        with opened(self.path) as connection:
            if revision is not None and _same_step(connection, track_id, edition, revision):
                edition = table.head_of(connection, track_id).edition
        return self._move(track_id, edition, back=True)

    def redo(self, track_id: str, edition: int) -> State:
        """Forward by one step; raises Stale, or NothingThere at the last."""
        return self._move(track_id, edition, back=False)

    def _move(self, track_id: str, edition: int, *, back: bool) -> State:
        with opened(self.path) as connection:
            with transaction(connection):
                head = _fresh(connection, track_id, edition)
                at = table.revision_of(connection, track_id, head.revision)
                target = table.undo_target(connection, at) if back else table.redo_target(connection, at)
                if target is None:
                    raise NothingThere("there is nothing to undo" if back else "there is nothing to redo")
                table.move_head(connection, head, target.number)
                return _state(connection, track_id)

    def track_at(self, track_id: str, revision: int) -> Track:
        """The track as a revision had it; raises NotFound."""
        with opened(self.path) as connection:
            return _parsed(table.revision_of(connection, track_id, revision).body)[0]

    def at(self, track_id: str, edition: int) -> State:
        """The track as it stands; raises Stale where `edition` is not the newest."""
        with opened(self.path) as connection:
            _fresh(connection, track_id, edition)
            return _state(connection, track_id)

    def arrived(self, track_id: str, edition: int, gesture: str | None) -> State | None:
        """The track as it stands where a change of this gesture, made on `edition`, is the newest step; else None."""
        if gesture is None:
            return None
        with opened(self.path) as connection:
            head = table.head_of(connection, track_id)
            at = table.revision_of(connection, track_id, head.revision)
            return _state(connection, track_id) if head.edition > edition and at.gesture == gesture else None

    def start_over(self, track_id: str, edition: int) -> State:
        """The untouched demo in place of the track, as an edit that can be undone."""
        return self.edit(track_id, edition, with_targets(with_kit(untouched_track())), label="Start over")

    def current(self, track_id: str, edition: int) -> Track:
        """The track as it stands; raises Stale where `edition` is not the newest."""
        with opened(self.path) as connection:
            head = _fresh(connection, track_id, edition)
            return _parsed(table.revision_of(connection, track_id, head.revision).body)[0]


def starting_track(start: Start) -> Track:
    """A track to begin with."""
    if start == "empty":
        # What is stored keeps what it has: only new tracks begin with the floor filter on.
        return Track(carve=Carve(floor_on=True))
    return with_targets(with_kit(solved_track() if start == "demo" else untouched_track()))


@newest(64)
def _parsed(body: str) -> tuple[Track, tuple[str, ...]]:
    """A stored description, and what was changed so that it opens."""
    try:
        return consistent(track_from_json(body)), ()
    except InvalidTrack as error:
        try:
            return mended(body)
        except InvalidTrack:
            raise InvalidTrack(f"this revision cannot be read: {error}; undo leads to an earlier one") from None


def patched(track: Track, patch: list[dict[str, Any]]) -> Track:
    """A track with changes to its description (JSON Patch, RFC 6902); raises InvalidTrack where they do not fit."""
    try:
        document = jsonpatch.apply_patch(track.model_dump(mode="json"), patch)
    except (jsonpatch.JsonPatchException, jsonpatch.JsonPointerException, TypeError, KeyError, IndexError) as error:
        raise InvalidTrack(f"these changes do not fit the track: {error}; nothing was changed") from None
    return track_from_document(document)


def _finished(newest: table.Revision, known: table.Revision, patch: list[dict[str, Any]]) -> Track:
    """The newest with what a page changed of what it knew; where that does not fit any more, what the page showed."""
    try:
        return patched(_parsed(newest.body)[0], patch)
    except InvalidTrack:
        return patched(_parsed(known.body)[0], patch)


def _arrived(connection: sqlite3.Connection, track_id: str, edition: int, track: Track, gesture: str | None) -> bool:
    """Whether this very edit is the newest step: it was stored, and whoever sent it got no answer and sends it again."""
    head = table.head_of(connection, track_id)
    at = table.revision_of(connection, track_id, head.revision)
    return (
        gesture is not None
        and head.edition == edition + 1
        and at.gesture == gesture
        and _parsed(at.body)[0] == consistent(track, _parsed(at.body)[0])
    )


def _known(connection: sqlite3.Connection, track_id: str, number: int) -> table.Revision:
    """A revision that a page knew; raises Stale where it is left out by now: the page was away for long."""
    try:
        return table.revision_of(connection, track_id, number)
    except NotFound:
        raise Stale("this track was changed elsewhere since it was read here; nothing was overwritten", track_id) from None


def _fresh(connection: sqlite3.Connection, track_id: str, edition: int) -> table.Head:
    head = table.head_of(connection, track_id)
    if head.edition != edition:
        raise Stale("this track was changed elsewhere since it was read here; nothing was overwritten", track_id)
    return head


def _same_step(connection: sqlite3.Connection, track_id: str, edition: int, revision: int) -> bool:
    """Whether nothing came after `revision`, seen at `edition`, but what belongs to its own step."""
    head = table.head_of(connection, track_id)
    at = table.revision_of(connection, track_id, head.revision)
    for _ in range(head.edition - edition):
        if at.gesture is None or at.parent is None:
            return False
        before = table.revision_of(connection, track_id, at.parent)
        if before.gesture != at.gesture:
            return False
        at = before
    return at.number == revision


def _state(connection: sqlite3.Connection, track_id: str) -> State:
    head = table.head_of(connection, track_id)
    at = table.revision_of(connection, track_id, head.revision)
    before, after = table.undo_target(connection, at), table.redo_target(connection, at)
    track, said = _parsed(at.body)
    return State(
        id=track_id,
        edition=head.edition,
        revision=head.revision,
        track=track,
        undo_label=at.label if before else None,
        redo_label=after.label if after else None,
        label=at.label,
        gesture=at.gesture,
        said=said,
    )
