"""The data as a whole: archive, restore, remove, back up, export."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Path
from starlette.responses import StreamingResponse

from juglant.api.tracks import ERRORS, Request_, Store, TrackId
from juglant.core.synth.takes import ID_PATTERN
from juglant.services.data import DataSheet, archive_track, back_up_now, data_sheet, remove_backup, remove_track
from juglant.services.deliver import export
from juglant.services.takes import Shelf

router = APIRouter(prefix="/api", responses=ERRORS)
TakeId = Annotated[str, Path(pattern=ID_PATTERN)]
BackupName = Annotated[str, Path(pattern=r"^[A-Za-z0-9._-]{1,120}$")]
PIECE_BYTES = 1 << 18


class Archived(Request_):
    """Whether something is put away."""

    archived: bool


@router.get("/data")
def data(store: Store) -> DataSheet:
    """Where the data lies, what is put away, what nothing uses, and the backups."""
    return data_sheet(store)


@router.post("/tracks/{track_id}/archived")
def archive(track_id: TrackId, body: Archived, store: Store) -> DataSheet:
    """Put a track away, or bring it back."""
    archive_track(store, track_id, archived=body.archived)
    return data_sheet(store)


@router.delete("/tracks/{track_id}")
def remove(track_id: TrackId, store: Store) -> DataSheet:
    """Remove an archived track for good."""
    remove_track(store, track_id)
    return data_sheet(store)


@router.post("/takes/{take}/archived")
def archive_take(take: TakeId, body: Archived, store: Store) -> DataSheet:
    """Put an unused take away, or bring it back."""
    Shelf(store.path).archive(take, archived=body.archived)
    return data_sheet(store)


@router.delete("/takes/{take}")
def remove_take(take: TakeId, store: Store) -> DataSheet:
    """Remove an archived take for good."""
    Shelf(store.path).remove(take)
    return data_sheet(store)


@router.post("/backups")
def back_up(store: Store) -> DataSheet:
    """Make a copy of the database beside it."""
    back_up_now(store)
    return data_sheet(store)


@router.delete("/backups/{name}")
def remove_copy(name: BackupName, store: Store) -> DataSheet:
    """Remove one of the copies."""
    remove_backup(store, name)
    return data_sheet(store)


@router.get(
    "/export.zip",
    response_class=StreamingResponse,
    responses={200: {"content": {"application/zip": {}}}},
)
def export_all(store: Store) -> StreamingResponse:
    """Every track that is not archived, with every take they are made of, in one zip that loads back."""
    tracks = [(track_id, store.state(track_id).track) for track_id, _ in store.list_tracks()]
    file = export(tracks)

    def pieces() -> Iterator[bytes]:
        with file:
            while piece := file.read(PIECE_BYTES):
                yield piece

    headers = {"Content-Disposition": 'attachment; filename="juglant-tracks.zip"'}
    return StreamingResponse(pieces(), media_type="application/zip", headers=headers)
