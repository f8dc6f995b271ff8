"""Recorded sounds: load a file, list what is there."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Body, Query

from juglant.api.tracks import ERRORS, Store
from juglant.formats.takes import Channels
from juglant.services.key import FileKey, key_of_file
from juglant.services.takes import LoadedTake, Shelf

router = APIRouter(prefix="/api", responses=ERRORS)
LONGEST_FILE_S = 86400


@router.post("/takes", status_code=201)
def load_take(
    store: Store,
    name: Annotated[str, Query(min_length=1, max_length=300)],
    data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"",
    from_s: Annotated[float | None, Query(ge=0, le=LONGEST_FILE_S, allow_inf_nan=False)] = None,
    channels: Channels = "as they are",
) -> LoadedTake:
    """Keep a sound file as a take and measure it; one that is too long or has too many channels is asked about."""
    return Shelf(store.path).load(name, data, from_s=from_s, channels=channels)


@router.get("/takes")
def list_takes(store: Store) -> list[LoadedTake]:
    """Every take, the newest first."""
    return Shelf(store.path).all()


@router.post("/key")
def find_key(data: Annotated[bytes, Body(media_type="application/octet-stream")] = b"") -> FileKey:
    """The keys a sound file or a MIDI file may be in; nothing is stored or changed."""
    return key_of_file(data)
