"""Loading recorded sounds, keeping them in the database, and finding them again wherever a track is rendered."""

from __future__ import annotations

import sqlite3
import sys
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.errors import InvalidAudio
from juglant.core.hit.render import folded
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.timing import measure_length_ms
from juglant.core.memory import forget
from juglant.core.mix.kick_loop import with_kick_loop
from juglant.core.model.track import Track
from juglant.core.synth.take import Take
from juglant.core.synth.takes import NO_TAKE, TakeAudio, find_take, provide, take_id, was_missed
from juglant.formats.takes import Channels, read_take
from juglant.formats.wav import read_audio, wav_float
from juglant.services.tracks import State, Workspace
from juglant.store import takes as table
from juglant.store.database import opened, transaction

TAKES_FOLDER = "takes"
LONGEST_NAME = 40


class LoadedTake(BaseModel):
    """A take as the page names it, with what it measures; notes: what was done to it while reading."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    sample_rate: int
    channels: int
    duration_ms: float
    landing_hz: float | None
    heard_hz: float | None
    verdict: str
    length_ms: float | None
    notes: tuple[str, ...] = ()


class Shelf:
    """The takes of one database."""

    def __init__(self, path: Path) -> None:
        self.path = path

    def find(self, take: str) -> TakeAudio | None:
        """A take's audio; None where it is not in this database, or the database is gone."""
        if not self.path.exists():
            return None
        try:
            with opened(self.path) as connection:
                found = table.body_of(connection, take)
        except sqlite3.Error:
            return None
        if found is None:
            return None
        row, body = found
        audio = np.frombuffer(body, "<f4").reshape(-1, row.channels).T.astype(np.float64)
        return TakeAudio(np.ascontiguousarray(audio), row.sample_rate)

    def add(self, name: str, take: TakeAudio) -> table.TakeRow:
        """Keep a take; it is on disk before this returns."""
        found, body = take_id(take.audio, take.sample_rate), take.audio.T.astype("<f4").tobytes()
        with opened(self.path) as connection, transaction(connection):
            row = table.add_take(
                connection, found, name, sample_rate=take.sample_rate, channels=take.audio.shape[0], body=body
            )
        if was_missed(found):
            forget_renders()
        return row

    def load(self, name: str, data: bytes, *, from_s: float | None, channels: Channels) -> LoadedTake:
        """Read a sound file, keep it and measure it; raises InvalidAudio where it cannot be used as it is."""
        read = read_take(data, from_s=from_s, channels=channels)
        return measured(self.add(plain_name(name), read.take), read.take, read.notes)

    def all(self) -> list[LoadedTake]:
        """Every take with what it measures, the newest first."""
        with opened(self.path) as connection:
            rows = table.all_takes(connection)
        return [measured(row, audio, ()) for row in rows if (audio := find_take(row.id)) is not None]


def forget_renders() -> None:
    """Forget everything that is remembered: a sound that was missing is there now."""
    forget()
    for name, module in list(sys.modules.items()):
        if name.startswith("juglant."):
            for value in vars(module).values():
                if hasattr(value, "cache_clear"):
                    value.cache_clear()


def measured(row: table.TakeRow, take: TakeAudio, notes: tuple[str, ...]) -> LoadedTake:
    """A take with its figures."""
    mono = folded(take.audio)
    landing = measure_landing(mono, sample_rate=take.sample_rate)
    return LoadedTake(
        id=row.id,
        name=row.name,
        sample_rate=row.sample_rate,
        channels=row.channels,
        duration_ms=1000 * row.frames / row.sample_rate,
        landing_hz=landing.landing_hz,
        heard_hz=landing.heard_hz,
        verdict=landing.verdict,
        length_ms=measure_length_ms(mono, sample_rate=take.sample_rate),
        notes=notes,
    )


def plain_name(file_name: str) -> str:
    """A file's name without folders and ending, short enough for a layer."""
    stem = file_name.replace("\\", "/").rsplit("/", 1)[-1]
    stem = stem.rsplit(".", 1)[0] if "." in stem[1:] else stem
    plain = "".join(letter for letter in stem if letter.isprintable()).strip()
    return plain[:LONGEST_NAME] or "Take"


def takes_of(track: Track) -> list[str]:
    """Ids of every take a track is made of, each once."""
    sources = [layer.source for one in track.hits() for layer in one.hit.layers]
    found = [source.take for source in sources if isinstance(source, Take) and source.take != NO_TAKE]
    lines = [one for one in (track.bass.take, track.kick_loop.take) if one]
    return list(dict.fromkeys([*found, *lines]))


def load_kick_loop(
    store: Workspace, track_id: str, edition: int, take: str, begin_ms: float, fit_bars: int | None
) -> State:
    """Let the kick come from a recorded loop, its strokes read onto the grid, as one step."""
    track = store.current(track_id, edition)
    again = track.kick_loop.take == take
    made = with_kick_loop(track, take, begin_ms, fit_bars)
    return store.edit(track_id, edition, made, label="Read the kicks again" if again else "Kick from a loop")


def take_files(track: Track) -> dict[str, bytes]:
    """The takes of a track as 32-bit float WAV files that load back sample for sample."""
    found = {take: find_take(take) for take in takes_of(track)}
    return {f"{TAKES_FOLDER}/{name}.wav": wav_float(one.audio, one.sample_rate) for name, one in found.items() if one}


def read_back(name: str, data: bytes) -> TakeAudio:
    """A take from its own file; raises InvalidAudio where its samples are not those its name says."""
    loaded = read_audio(data)
    if take_id(loaded.audio, loaded.sample_rate) != name:
        raise InvalidAudio(f"the take {name} is damaged; load its file again")
    return TakeAudio(loaded.audio, loaded.sample_rate)


class TakesFolder:
    """Takes beside a track description, as a bundle has them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def find(self, take: str) -> TakeAudio | None:
        """A take's audio; None where the folder has no such file, or a damaged one."""
        path = self.folder / TAKES_FOLDER / f"{take}.wav"
        if not path.is_file():
            return None
        try:
            return read_back(take, path.read_bytes())
        except (InvalidAudio, OSError):
            return None


def provide_from(place: Shelf | TakesFolder) -> None:
    """Let everything that is rendered find the takes of a place."""
    provide(place.find)
