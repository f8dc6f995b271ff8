"""The user's data as a whole: where it lies, what is put away, and what leaves and comes back in one piece."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from filelock import Timeout
from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidAudio
from juglant.core.loop.used_takes import used_takes
from juglant.services.deliver import opened as opened_file
from juglant.services.recordings import Recorded, Recordings
from juglant.services.takes import Shelf, UnusedTake
from juglant.services.tracks import State, Workspace
from juglant.store import tracks as table
from juglant.store.database import (
    KEPT_BACKUPS,
    backup,
    backups_of,
    checked_copy,
    connect,
    copy_to,
    may_write,
    migrate,
    opened,
    private_folder,
    transaction,
)
from juglant.store.errors import Busy, NotFound, Unopenable
from juglant.store.serving import serving


class ArchivedTrack(BaseModel):
    """A track that is put away."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    archived_at: str


class BackupFile(BaseModel):
    """A copy of the database beside it."""

    model_config = ConfigDict(frozen=True)
    name: str
    bytes: int
    made_at_s: float


class DataSheet(BaseModel):
    """Where everything is, how large, what is put away, and what nothing uses."""

    model_config = ConfigDict(frozen=True)
    path: str
    bytes: int
    read_only: bool
    archived: tuple[ArchivedTrack, ...]
    unused: tuple[UnusedTake, ...]
    recordings: tuple[Recorded, ...]
    backups: tuple[BackupFile, ...]
    kept_backups: int = KEPT_BACKUPS


def data_sheet(store: Workspace) -> DataSheet:
    """All of it as it is now."""
    with opened(store.path) as connection:
        archived = [
            ArchivedTrack(id=one.head.track_id, name=one.name, archived_at=one.archived_at)
            for one in table.all_tracks(connection)
            if one.archived_at is not None
        ]
    return DataSheet(
        path=str(store.path),
        bytes=store.path.stat().st_size,
        read_only=not may_write(store.path),
        archived=tuple(archived),
        unused=tuple(Shelf(store.path).unused()),
        recordings=(*Recordings(store.path).all(), *Recordings(store.path).all(away=True)),
        backups=tuple(
            BackupFile(name=one.name, bytes=one.stat().st_size, made_at_s=one.stat().st_mtime)
            for one in backups_of(store.path)
        ),
    )


def archive_track(store: Workspace, track_id: str, *, archived: bool) -> None:
    """Put a track away, or bring it back as it was; raises NotFound."""
    with opened(store.path) as connection, transaction(connection):
        table.archive(connection, track_id, archived=archived)


def remove_track(store: Workspace, track_id: str) -> None:
    """Remove an archived track and its history for good; raises NotFound, or StillUsed where it is not archived."""
    with opened(store.path) as connection, transaction(connection):
        table.remove(connection, track_id)


def back_up_now(store: Workspace) -> None:
    """A copy beside the database; of these the newest few are kept."""
    with opened(store.path) as connection:
        backup(connection, store.path, "by-hand")


def remove_backup(store: Workspace, name: str) -> None:
    """Remove one copy by its name; raises NotFound."""
    for one in backups_of(store.path):
        if one.name == name:
            one.unlink(missing_ok=True)
            return
    raise NotFound("there is no such backup; it may be removed already")


def load_file(store: Workspace, data: bytes) -> list[State]:
    """New tracks from a bundle, an export or a track.json, with the takes that came along, in the order of the file.

    A damaged take is left out and named in what is said of its track.
    """
    shelf, states = Shelf(store.path), list[State]()
    for found in opened_file(data):
        said, where = list[str](), {one.take: one for one in used_takes(found.track)}
        # Before the track, so that it never sounds without them.
        for take, read in found.takes.items():
            try:
                shelf.add(where[take].where if take in where else take, read())
            except InvalidAudio as error:
                name = f"{where[take].file}, the sound of {where[take].where}," if take in where else take
                said.append(f"{name} was left out: {error}")
        state = store.create(found.track, label="Load")
        states.append(State(**{**vars(state), "said": (*state.said, *said)}))
    return states


def write_backup(database: Path, file: Path) -> int:
    """A whole copy of a database in a new file, also while it is served; returns its bytes.

    Raises Unopenable where there is no database, or the file is there already.
    """
    if not database.is_file():
        raise Unopenable(f"{database} is not there: nothing was stored in this folder yet")
    if file.exists():
        raise Unopenable(f"{file} is there already and was not overwritten; name a new file")
    if not file.parent.is_dir():
        raise Unopenable(f"the folder {file.parent} is not there; make it first, or name another")
    with opened(database) as connection:
        copy_to(connection, file)
    return file.stat().st_size


def restore_backup(database: Path, file: Path) -> Path | None:
    """Put a backup in a database's place; what was there is backed up beside it first, and returned.

    Raises Damaged, Unopenable or NewerDatabase where the file is none that can be read, and Busy while a server runs.
    """
    checked_copy(file)
    private_folder(database.parent)
    try:
        with serving(database):
            before = None
            if database.is_file():
                with opened(database) as connection:
                    before = backup(connection, database, "before-restore")
            with closing(connect(file)) as connection:
                copy_to(connection, database)
            for ending in ("-wal", "-shm"):
                database.with_name(database.name + ending).unlink(missing_ok=True)
            migrate(database)
            return before
    except Timeout:
        raise Busy(f"{database} is being served: stop Juglant (Ctrl+C) first; nothing was changed") from None
