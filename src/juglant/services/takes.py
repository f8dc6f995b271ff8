"""Loading recorded sounds, keeping them in the database, and finding them again wherever a track is rendered."""

from __future__ import annotations

import json
import re
import sqlite3
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juglant.core.errors import InvalidAudio
from juglant.core.hit.role_of import ReadRole, role_of
from juglant.core.loop.used_takes import TAKES_FOLDER
from juglant.core.measure.impacts import find_impacts
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.lead import lead_in_ms
from juglant.core.measure.stereo import CANCELLED_DB, fold_loss_db, for_measuring
from juglant.core.measure.timing import measure_length_ms
from juglant.core.memory import forget
from juglant.core.model.track import Track
from juglant.core.pictures.layers import outline
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.shift import resampled
from juglant.core.synth.take import Take
from juglant.core.synth.takes import ID_PATTERN, NO_TAKE, TakeAudio, find_take, forget_where, provide, take_id, was_missed
from juglant.core.types import Samples
from juglant.formats.takes import Channels, read_take
from juglant.formats.wav import read_audio, wav_float
from juglant.store import takes as table
from juglant.store.database import opened, transaction
from juglant.store.errors import NotFound, StillUsed, StoreError
from juglant.store.kept import all_kept
from juglant.store.tracks import every_body, head_bodies

TAKE_ID = re.compile(ID_PATTERN.strip("^$"))
LONGEST_NAME, LONGEST_TAG, MOST_TAGS = 40, 24, 8
# The picture of a loaded sound: its first seconds in so many columns.
SHOWN_S, COLUMNS = 8.0, 180
# What is longer is taken for more than one sound.
ONE_S = 12.0
# A sound is heard before it is used from its beginning, so much of it.
HEARD_S = 20.0
CANCELS = "its two sides cancel each other in mono: it is measured by its left one"


class LoadedTake(BaseModel):
    """A take as the page names it, with what it measures; notes: what was done to it while reading.

    onset_ms: where the sound begins in it, None where it fades in; length_ms from there. low, high: the waveform,
    (columns,), over span_ms, which is the file or its first seconds. read: what a single sound can serve as.
    """

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    sample_rate: int
    channels: int
    duration_ms: float
    onset_ms: float | None
    landing_hz: float | None
    heard_hz: float | None
    verdict: str
    length_ms: float | None
    span_ms: float
    low: tuple[float, ...]
    high: tuple[float, ...]
    notes: tuple[str, ...] = ()
    read: ReadRole | None = None


class MadeOf(BaseModel):
    """What a take was made of. cut: of another take, from a place on; recorded: by the microphone or its stand-in;
    cleaned: of what, as it is said; reworked: what was done to its strokes; printed: what of which track, as it was
    asked for, and a hash of what that was made from."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    way: Literal["cut", "recorded", "cleaned", "reworked", "printed"]
    take: str | None = None
    begin_s: float | None = None
    said: str = ""
    track: str | None = None
    printed: str | None = None
    key: str | None = None


class ListedTake(LoadedTake):
    """A take on the shelf: tags: the user's; tracks, kept: names of what is made of it now; changed: what it was printed
    from is another now."""

    tags: tuple[str, ...] = ()
    tracks: tuple[str, ...] = ()
    kept: tuple[str, ...] = ()
    made_of: MadeOf | None = None
    changed: bool = False


class Label(BaseModel):
    """What a take is called, and the user's words for it."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    name: str = Field(min_length=1, max_length=LONGEST_NAME)
    tags: tuple[Annotated[str, Field(min_length=1, max_length=LONGEST_TAG, pattern=r"^\S(.*\S)?$")], ...] = Field(
        default=(), max_length=MOST_TAGS
    )


class UnusedTake(BaseModel):
    """A take that nothing is made of, or that is put away, and what it weighs."""

    model_config = ConfigDict(frozen=True)
    id: str
    name: str
    bytes: int
    archived: bool


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
        except (sqlite3.Error, StoreError):
            return None
        if found is None:
            return None
        row, body = found
        audio = np.frombuffer(body, "<f4").reshape(-1, row.channels).T.astype(np.float64)
        return TakeAudio(np.ascontiguousarray(audio), row.sample_rate)

    def the(self, take: str) -> TakeAudio:
        """A take's audio; raises NotFound."""
        found = self.find(take)
        if found is None:
            raise NotFound("there is no such sound here; load its file again")
        return found

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

    def load(
        self, name: str, data: bytes, *, from_s: float | None, channels: Channels, made_of: MadeOf | None = None
    ) -> LoadedTake:
        """Read a sound file, keep it and measure it; raises InvalidAudio where it cannot be used as it is."""
        read = read_take(data, from_s=from_s, channels=channels)
        cancels = read.take.audio.shape[0] == 2 and (fold_loss_db(read.take.audio) or 0.0) < CANCELLED_DB
        return self.keep(plain_name(name), read.take, (*read.notes, *((CANCELS,) if cancels else ())), made_of)

    def keep(self, name: str, take: TakeAudio, notes: tuple[str, ...] = (), made_of: MadeOf | None = None) -> LoadedTake:
        """Keep a take with what it measures, and what it was made of."""
        found = measured(self.add(name, take), take, notes)
        with opened(self.path) as connection, transaction(connection):
            table.keep_figures(connection, found.id, found.model_copy(update={"notes": ()}).model_dump_json())
            if made_of is not None:
                table.keep_source(connection, found.id, made_of.model_dump_json())
        return found

    def all(self) -> list[ListedTake]:
        """Every take on the shelf with what was measured of it and what is made of it, the newest first."""
        with opened(self.path) as connection:
            rows = [row for row in table.all_takes(connection) if row.archived_at is None]
            known, labels = table.figures_of(connection), table.labels_of(connection)
            heads = [(one.name, one.body) for one in head_bodies(connection)]
            kept = [(one.name, one.body) for one in all_kept(connection)]
        tracks, hits = _named_in(heads), _named_in(kept)
        out = []
        for row in rows:
            found, said = self._measured(row, known.get(row.id)), labels.get(row.id) or table.LabelRow(row.id)
            own = {
                "name": said.name or row.name,
                "tags": json.loads(said.tags),
                "tracks": tracks.get(row.id, ()),
                "kept": hits.get(row.id, ()),
                "made_of": None if said.made_of is None else MadeOf.model_validate_json(said.made_of),
            }
            out.append(ListedTake(**(dict(found) | own)))
        return out

    def label(self, take: str, label: Label) -> None:
        """Call a take by another name and tag it; raises NotFound."""
        tags = tuple(dict.fromkeys(label.tags))
        with opened(self.path) as connection, transaction(connection):
            table.label(connection, take, label.name, json.dumps(tags))

    def _measured(self, row: table.TakeRow, stored: str | None) -> LoadedTake:
        if stored is not None:
            with suppress(ValidationError):
                return LoadedTake.model_validate_json(stored)
        # Loaded before figures were stored: measured once, one sound at a time.
        audio = self.find(row.id)
        return measured(row, audio if audio is not None else TakeAudio(np.zeros((1, 1)), row.sample_rate), ())

    def unused(self) -> list[UnusedTake]:
        """Takes that no revision of any track, archived ones in, and nothing kept is made of, and all that are put away."""
        with opened(self.path) as connection:
            rows = table.all_takes(connection)
        named = self._named()
        return [
            UnusedTake(id=row.id, name=row.name, bytes=4 * row.channels * row.frames, archived=row.archived_at is not None)
            for row in rows
            if row.id not in named or row.archived_at is not None
        ]

    def _named(self) -> set[str]:
        """Takes that any revision of any track, or anything kept, is made of."""
        named = set[str]()
        with opened(self.path) as connection:
            for body in (*every_body(connection), *(one.body for one in all_kept(connection, replaced=True))):
                named.update(TAKE_ID.findall(body))
        return named

    def archive(self, take: str, *, archived: bool) -> None:
        """Put a take away, or bring it back; raises NotFound, or StillUsed where something is made of it now.

        What was made of it before it was undone still finds it: it is only off the shelf.
        """
        used = next((one for one in self.all() if one.id == take and (one.tracks or one.kept)), None) if archived else None
        if used is not None:
            raise StillUsed(f"{(*used.tracks, *used.kept)[0]} is made of this sound; it stays on the shelf")
        with opened(self.path) as connection, transaction(connection):
            table.archive(connection, take, archived=archived)

    def remove(self, take: str) -> None:
        """Remove an archived take for good; raises NotFound, or StillUsed where it is used or not archived."""
        if take in self._named():
            raise StillUsed("a track or something kept is made of this sound, or was before it was undone; it stays")
        with opened(self.path) as connection, transaction(connection):
            table.remove(connection, take)
        forget_where()


def _named_in(bodies: list[tuple[str, str]]) -> dict[str, tuple[str, ...]]:
    """Names of what is made of each take, by the take's id."""
    found: dict[str, dict[str, None]] = {}
    for name, body in bodies:
        for take in set(TAKE_ID.findall(body)):
            found.setdefault(take, {})[name] = None
    return {take: tuple(names) for take, names in found.items()}


def forget_renders() -> None:
    """Forget everything that is remembered: a sound that was missing is there now."""
    forget()


def measured(row: table.TakeRow, take: TakeAudio, notes: tuple[str, ...]) -> LoadedTake:
    """A take with its figures."""
    mono = for_measuring(take.audio)
    onset_ms = lead_in_ms(mono, sample_rate=take.sample_rate)
    short = mono.size <= round(ONE_S * take.sample_rate)
    one = short and len(find_impacts(mono, sample_rate=take.sample_rate)) == 1
    landing = measure_landing(mono, sample_rate=take.sample_rate)
    shown = mono[: round(SHOWN_S * take.sample_rate)]
    low, high = outline(shown, COLUMNS)
    return LoadedTake(
        id=row.id,
        name=row.name,
        sample_rate=row.sample_rate,
        channels=row.channels,
        duration_ms=1000 * row.frames / row.sample_rate,
        onset_ms=onset_ms,
        landing_hz=landing.landing_hz,
        heard_hz=landing.heard_hz,
        verdict=landing.verdict,
        length_ms=measure_length_ms(mono, sample_rate=take.sample_rate, firm_hz=landing.firm_hz),
        span_ms=1000 * shown.size / take.sample_rate,
        low=low,
        high=high,
        notes=notes,
        read=role_of(mono, sample_rate=take.sample_rate) if one else None,
    )


def plain_name(file_name: str) -> str:
    """A file's name without folders and ending, short enough for a layer."""
    stem = file_name.replace("\\", "/").rsplit("/", 1)[-1]
    stem = stem.rsplit(".", 1)[0] if "." in stem[1:] else stem
    plain = "".join(letter for letter in stem if letter.isprintable()).strip()
    return plain[:LONGEST_NAME] or "Take"


def takes_of(track: Track) -> list[str]:
    """Ids of every take a track names, in use or not, each once."""
    sources = [layer.source for one in track.parts for layer in one.hit.layers]
    named = [take for source in sources if isinstance(source, Take) for take in (source.take, *source.sounds)]
    found = [take for take in named if take != NO_TAKE]
    lines = [one for one in (track.bass.take, track.kick_loop.take) if one]
    return list(dict.fromkeys([*found, *lines]))


def take_wav(shelf: Shelf, take: str, begin_ms: float, length_ms: float, sample_rate: int) -> bytes:
    """A sound as it is from a place on, so much of it, its first seconds at most, at a rate, as a 32-bit float WAV.

    Raises NotFound.
    """
    found = shelf.the(take)
    begin = frames_of(begin_ms, found.sample_rate)
    return heard_wav(
        found.audio[:, begin : begin + frames_of(length_ms, found.sample_rate)], found.sample_rate, sample_rate
    )


def heard_wav(audio: Samples, own_rate: int, sample_rate: int) -> bytes:
    """The first seconds of a sound, (channels, frames), at a rate, its ends silent, as a 32-bit float WAV."""
    part = audio[:, : frames_of(1000 * HEARD_S, own_rate)]
    rows = resampled(part, own_rate, sample_rate) if part.size else np.zeros((1, 2))
    edged = [with_edges(row, start_ms=0.1, end_ms=5.0, sample_rate=sample_rate) for row in rows]
    return wav_float(np.stack(edged), sample_rate)


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


def provide_database(path: str) -> None:
    """The same for the takes of a database, by its path."""
    provide_from(Shelf(Path(path)))
