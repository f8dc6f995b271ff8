"""Files for the host: everything a track is delivered as, and the bundle that loads back."""

from __future__ import annotations

import contextlib
import io
import json
import lzma
import os
import re
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import IO

import numpy as np

from juglant.core.analysis.analyse import analyse
from juglant.core.duck.keys import key_beats, trigger_beats
from juglant.core.duck.part_curves import curves_of, ducked_parts, split_of
from juglant.core.errors import InvalidAudio, InvalidTrack
from juglant.core.findings.registry import find_all
from juglant.core.hit.render import folded
from juglant.core.hit.root import measured_root_hz
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.hit.transpose import transposed
from juglant.core.loop.distance import sound_set_back
from juglant.core.loop.gain import part_rows
from juglant.core.loop.groups import working
from juglant.core.loop.level_lines import along_line
from juglant.core.loop.part_stems import gain_works_on, rings_on
from juglant.core.loop.place import loop_frames
from juglant.core.loop.render import heard_kick, heard_stem, render_stem
from juglant.core.loop.used_takes import TAKES_FOLDER
from juglant.core.memory import elsewhere
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, CONTEXT, KICK_ID
from juglant.core.model.references import consistent
from juglant.core.model.stem import StemRef, part_file_name
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.model.velocity import HARDEST
from juglant.core.progress import steps
from juglant.core.reports.report import report
from juglant.core.synth.takes import TakeAudio, find_take
from juglant.core.tune.hit_pitch import hit_pitch
from juglant.core.types import Samples
from juglant.formats.duck_csv import duck_csv
from juglant.formats.duck_files import duck_json, duck_midi, duck_wav, trigger_midi, trigger_wav
from juglant.formats.midi import track_midi, version_name, versions
from juglant.formats.takes import MOST_FRAMES
from juglant.formats.wav import wav_24, wav_float
from juglant.services.duck_print import settings_of
from juglant.services.takes import read_back, take_files, takes_of

KICK_PEAK_DB = -1.0
TRACK_NAME = "track.json"
LARGEST_TRACK_BYTES = 2_000_000
# The most frames that are read, in two channels; and all that is read of one file, several times what a long track has.
LARGEST_TAKE_BYTES, MOST_TAKE_BYTES = 8 * MOST_FRAMES + 1000, 500_000_000
MOST_TRACKS = 1000
# A track in an export of all of them.
EXPORTED = re.compile(rf"[a-z0-9-]+/{re.escape(TRACK_NAME)}")
# One fixed moment for every entry, so that the same track gives the same bundle, byte for byte.
ZIP_MOMENT = (2020, 1, 1, 0, 0, 0)


def peak_at(audio: Samples, peak_db: float) -> Samples:
    """Audio brought to a sample peak in dBFS; silence stays silence."""
    peak = float(np.max(np.abs(audio), initial=0.0))
    return audio * (10 ** (peak_db / 20) / peak) if peak > 0 else audio


def delivered(track: Track, *, rest: bool = False) -> Iterator[tuple[str, bytes]]:
    """Every file of a track by its path, one at a time: hit, loops, stems, MIDI, duck curve, description and report.

    rest: the rest of the track too, as stems and in the loops.
    """
    for make in steps(_groups(track, rest)):
        yield from make().items()


def _groups(track: Track, rest: bool) -> list[Callable[[], dict[str, bytes]]]:
    """What makes the files, in the order in which they are delivered."""
    found = analyse(track)
    rate, stems = track.sheet.sample_rate, found.stems
    root_hz = hit_pitch(track, track.kick_hit()).used_hz
    loops: dict[str, Callable[[], Samples]] = {
        "loop.wav": lambda: stems.loop if rest else stems.own_loop(),
        "loop-before.wav": lambda: stems.loop_before if rest else stems.own_loop(before=True),
    }
    low: dict[str, dict[str, Callable[[], Samples]]] = {
        KICK_ID: {"stems/kick.wav": lambda: stems.kick, "stems/kick-before.wav": lambda: stems.kick_before},
        BASS_PART: {
            "stems/bass.wav": lambda: stems.with_sides("heard", stems.bass),
            "stems/bass-before.wav": lambda: stems.with_sides("before", stems.bass_before),
            "stems/bass-unducked.wav": lambda: stems.with_sides("unducked", stems.bass_unducked),
        },
    }
    for one in track.parts:
        if rest or one.role != CONTEXT:
            ref = StemRef(one.id)
            loops |= low.get(one.id) or {_stem_file(ref): partial(render_stem, track, ref)}
    for space in track.spaces:
        if space.works:
            loops[f"stems/space-{space.id}.wav"] = partial(render_stem, track, StemRef(space.id))
    for group in working(track):
        loops[f"stems/bus-{group.id}.wav"] = partial(render_stem, track, StemRef(group.id))
    ducks, others = _duck_files(track, rest)
    loops |= others

    def last() -> dict[str, bytes]:
        figures = report(found, find_all(found)).model_dump(mode="json")
        return {
            "track.mid": track_midi(track),
            "duck-bass.csv": duck_csv(found.rows).encode(),
            **ducks,
            "ducks.txt": settings_of(track).encode(),
            TRACK_NAME: track_to_json(track).encode(),
            **take_files(track),
            "report.json": (json.dumps(figures, indent=1, allow_nan=False) + "\n").encode(),
        }

    return [
        lambda: {"kick.wav": wav_24(peak_at(found.kick_hit.audio, KICK_PEAK_DB), rate, landing_hz=root_hz)},
        lambda: _kit_files(track),
        *(partial(_loop_file, name, make, rate) for name, make in loops.items()),
        last,
    ]


def _gain_works_on(track: Track, part: str) -> Samples:
    return along_line(track, part, gain_works_on(track, part))


def _loop_file(name: str, make: Callable[[], Samples], rate: int) -> dict[str, bytes]:
    return {name: wav_float(make(), rate)}


def _stem_file(ref: StemRef) -> str:
    return f"stems/{ref.file_name}.wav"


def _duck_files(track: Track, rest: bool) -> tuple[dict[str, bytes], dict[str, Callable[[], Samples]]]:
    """What every ducked part and the silent trigger are delivered as: files, and stems un-ducked and before."""
    sheet, files, stems = track.sheet, dict[str, bytes](), dict[str, Callable[[], Samples]]()
    total = loop_frames(track)
    for part in ducked_parts(track):
        name, rows = part_file_name(part), part_rows(track, part, total)
        keys = sorted({at for one in curves_of(track, part) for at in key_beats(track, one.key)})
        files |= {
            f"duck-{name}.csv": duck_csv(rows).encode(),
            f"duck-{name}.json": duck_json(rows, bpm=sheet.bpm, keys_beats=keys).encode(),
            f"duck-{name}.mid": duck_midi(rows, bpm=sheet.bpm, length_beats=sheet.length_beats, name=f"duck {name}"),
            f"duck-{name}.wav": duck_wav(rows),
        }
        is_hit = part not in (BASS_PART, KICK_ID)
        if is_hit and track.hit_of(part).role == CONTEXT and not rest:
            continue
        for ref in (StemRef(part, "unducked"), StemRef(part, "before")):
            stems[_stem_file(ref)] = partial(heard_stem, track, ref)
        # What the gain is applied to where it is not the whole un-ducked stem.
        if split_of(track, part) is not None:
            stems[f"stems/{name}_band-unducked.wav"] = partial(_gain_works_on, track, part)
        elif is_hit and rings_on(track, part):
            stems[f"stems/{name}_dry-unducked.wav"] = partial(_gain_works_on, track, part)
    keys = trigger_beats(track)
    if any(one.key.kind == "trigger" for part in ducked_parts(track) for one in curves_of(track, part)):
        files["trigger.mid"] = trigger_midi(keys, bpm=sheet.bpm, length_beats=sheet.length_beats)
        files["trigger.wav"] = trigger_wav(
            keys, bpm=sheet.bpm, length_beats=sheet.length_beats, sample_rate=sheet.sample_rate
        )
    return files, stems


def _kit_files(track: Track) -> dict[str, bytes]:
    """Each hit of the kit at full strength, every round robin of it, 24-bit, with its root note where it has one."""
    rate, files = track.sheet.sample_rate, {}
    for one in track.hits():
        if one.role == CONTEXT:
            continue
        for cents in versions(one):
            hit = transposed(one.hit, cents)
            for robin in range(one.hit.velocity.robins):
                if one.id == KICK_ID and not cents:
                    # The kick itself is delivered as heard, above these.
                    continue
                audio = _stroke(track, one.id, hit, robin)
                if not np.any(audio):
                    continue
                # What was said by hand counts for every round robin; else each has the pitch it measures.
                landing = hit.landing_by_hand_hz or measured_root_hz(one, folded(audio), rate)
                name = version_name(one.id, cents) + ("" if robin == 0 else f"_{robin + 1}")
                audio = sound_set_back(audio, one.distance, sample_rate=rate)
                files[f"hits/{name}.wav"] = wav_24(peak_at(audio, KICK_PEAK_DB), rate, landing_hz=landing)
    return files


def _stroke(track: Track, hit_id: str, hit: Hit, robin: int) -> Samples:
    """A hit at full strength, (frames,) or (2, frames): the kick through the carve and floor it is heard through."""
    if hit_id == KICK_ID:
        return heard_kick(track.with_hit(KICK_ID, hit)).audio
    return cached_stroke(hit, HARDEST, robin, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm)).audio


def write_files(track: Track, folder: Path, *, rest: bool = False) -> list[Path]:
    """Write every file under a folder, each whole or not at all; returns the paths."""
    written = []
    for name, data in delivered(track, rest=rest):
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        beside = path.with_name(path.name + ".part")
        beside.write_bytes(data)
        beside.replace(path)
        written.append(path)
    return written


@elsewhere(lambda track, rest, folder: f"Preparing {file_name(track)}.zip")
def bundle(track: Track, rest: bool, folder: str) -> str:
    """Every file in one zip in a folder, which is then its caller's; its path."""
    handle, path = tempfile.mkstemp(".zip", dir=folder)
    with os.fdopen(handle, "wb") as out, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in delivered(track, rest=rest):
            archive.writestr(zipfile.ZipInfo(name, ZIP_MOMENT), data, zipfile.ZIP_DEFLATED)
    return path


def file_name(track: Track) -> str:
    """A file name made of the track's own, safe on every system."""
    plain = re.sub(r"[^A-Za-z0-9]+", "-", track.name.encode("ascii", "ignore").decode()).strip("-").lower()
    return (plain or "track")[:60]


@dataclass(frozen=True)
class Found:
    """One track of a file, and the takes it names that came with it, each read when it is asked for."""

    track: Track
    takes: Mapping[str, Callable[[], TakeAudio]] = field(default_factory=dict)


def opened(data: bytes) -> list[Found]:
    """The tracks in a bundle, in an export of all tracks, or in a track.json; nothing but what they name is read.

    Raises InvalidTrack where it is none of these, holds a track that cannot be read, or more sound than is taken at once.
    """
    if not data:
        raise InvalidTrack("the file is empty (0 bytes); choose a bundle or a track.json")
    if data[:2] != b"PK":
        return [Found(consistent(track_from_json(data)))]
    with _plain_zip_errors():
        archive = zipfile.ZipFile(io.BytesIO(data))
        names = [name for name in archive.namelist() if name == TRACK_NAME or EXPORTED.fullmatch(name)]
        if not names:
            raise InvalidTrack(f"this zip holds no {TRACK_NAME}; choose a bundle made here")
        if len(names) > MOST_TRACKS:
            raise InvalidTrack(f"this zip holds {len(names)} tracks and at most {MOST_TRACKS} are read at once")
        tracks = [consistent(track_from_json(_text_in(archive, name))) for name in names]
        sizes = _named_sizes(archive, tracks)
    if sum(sizes.values()) > MOST_TAKE_BYTES:
        raise InvalidTrack(
            f"the recorded sounds of this zip have {sum(sizes.values()) // 1_000_000} MB and at most "
            f"{MOST_TAKE_BYTES // 1_000_000} MB are read at once; nothing was loaded"
        )
    named = [[(take, f"{TAKES_FOLDER}/{take}.wav") for take in takes_of(track)] for track in tracks]
    return [
        Found(track, {take: partial(_take_in, archive, name, take) for take, name in own if name in sizes})
        for track, own in zip(tracks, named, strict=True)
    ]


@contextlib.contextmanager
def _plain_zip_errors() -> Iterator[None]:
    try:
        yield
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, OSError, EOFError, LookupError, ValueError, RuntimeError):
        # Not an error of the track in it, which is no ValueError.
        raise InvalidTrack("this zip is damaged; download or copy it again") from None


def _text_in(archive: zipfile.ZipFile, name: str) -> bytes:
    with archive.open(name) as entry:
        text = entry.read(LARGEST_TRACK_BYTES + 1)
    if len(text) > LARGEST_TRACK_BYTES:
        raise InvalidTrack(f"the bundle's {name} is over {LARGEST_TRACK_BYTES // 1_000_000} MB; this is no track")
    return text


def _named_sizes(archive: zipfile.ZipFile, tracks: list[Track]) -> dict[str, int]:
    """The files of takes that the tracks name and the zip has, with the bytes they unpack to."""
    sizes = {entry.filename: entry.file_size for entry in archive.infolist()}
    wanted = {f"{TAKES_FOLDER}/{take}.wav" for track in tracks for take in takes_of(track)}
    return {name: sizes[name] for name in sorted(wanted) if name in sizes}


def _take_in(archive: zipfile.ZipFile, name: str, take: str) -> TakeAudio:
    """One take of a zip; raises InvalidAudio where it is damaged or too large."""
    try:
        with archive.open(name) as entry:
            # What its directory says of its size may be untrue.
            data = entry.read(LARGEST_TAKE_BYTES + 1)
    except (zipfile.BadZipFile, zlib.error, lzma.LZMAError, OSError, EOFError, LookupError, ValueError, RuntimeError):
        raise InvalidAudio("it is damaged; load its file again") from None
    if len(data) > LARGEST_TAKE_BYTES:
        raise InvalidAudio(f"it is over {LARGEST_TAKE_BYTES // 1_000_000} MB")
    return read_back(take, data)


def exported(tracks: list[tuple[str, Track]]) -> Iterator[tuple[str, bytes]]:
    """Every track with its id as it stands, and every take they name, each file once and one at a time."""
    seen = set[str]()
    for track_id, track in tracks:
        yield f"{file_name(track)}-{track_id}/{TRACK_NAME}", track_to_json(track).encode()
    for _, track in tracks:
        for take in takes_of(track):
            if take not in seen and (found := find_take(take)) is not None:
                seen.add(take)
                yield f"{TAKES_FOLDER}/{take}.wav", wav_float(found.audio, found.sample_rate)


def export(tracks: list[tuple[str, Track]]) -> IO[bytes]:
    """All of it in one zip, a file on disk that is gone once it is closed; it loads back as those tracks."""
    out = tempfile.TemporaryFile()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in exported(tracks):
            archive.writestr(zipfile.ZipInfo(name, ZIP_MOMENT), data, zipfile.ZIP_DEFLATED)
    out.seek(0)
    return out
