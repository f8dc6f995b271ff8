"""Standard MIDI files of the pattern: kick, bass, kit and tempo."""

from __future__ import annotations

import io
import math
import struct
from collections.abc import Iterator
from dataclasses import dataclass

import mido

from juglant.core.errors import InvalidMidi
from juglant.core.loop.pitched import begun_beats
from juglant.core.model.ids import BASS_PART, CONTEXT, PartRole
from juglant.core.model.part import Part
from juglant.core.model.sheet import Sheet
from juglant.core.model.track import Track

TICKS_PER_BEAT = 960
# Drum notes of General MIDI level 1 by role; a second hit of a role takes the next that is free.
ROLE_NOTES: dict[PartRole, int] = {
    "kick": 36, "snare": 38, "clap": 39, "hat": 42, "open hat": 46, "tom": 45, "percussion": 62, "rumble": 35,
    "sub": 41, "chord": 81,
}  # fmt: skip
DRUM_CHANNEL, BASS_CHANNEL = 9, 0
# Lines of other parts go on channels of their own, in turn.
LINE_CHANNELS = (1, 2, 3, 4, 5, 6, 7, 8, 10, 11, 12, 13, 14, 15)
STROKE_BEATS = 0.25
BASS_VELOCITY = 100


def versions(hit: Part) -> list[float]:
    """Pitches a hit is struck at, in cents from its own, its own first: each is a sound and a MIDI note of its own.

    Notes of a line are none of them: those are one sound, played in pitch.
    """
    return [0.0, *sorted({one.tune_cents for one in hit.strokes if one.tune_cents and one.note is None})]


def version_name(hit_id: str, cents: float) -> str:
    """What a hit at a pitch of its own is called in files; no id has an underscore, so that no two are called alike."""
    return f"{hit_id}_{cents:+.0f}ct" if cents else hit_id


def track_midi(track: Track) -> bytes:
    """A type 1 file: tempo, kick on note 36, bass line, every other hit, their lines; ended at the loop's length."""
    sheet = track.sheet
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT)
    tempo = mido.MidiTrack(
        [
            mido.MetaMessage("track_name", name=_ascii(track.name), time=0),
            mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(sheet.bpm), time=0),
            mido.MetaMessage("time_signature", numerator=4, denominator=4, time=0),
            mido.MetaMessage("end_of_track", time=sheet.length_beats * TICKS_PER_BEAT),
        ]
    )
    taken: set[int] = set()
    parts, lines = list[mido.MidiTrack](), list[mido.MidiTrack]()
    for each in track.parts:
        if each.role == CONTEXT:
            continue
        if each.role == BASS_PART:
            line = _one_voice([(one.at_beats, one.length_beats, one.note, BASS_VELOCITY) for one in track.notes()], sheet)
            parts.append(_part("bass", BASS_CHANNEL, line, sheet.length_beats))
            continue
        hit = track.hit_of(each.id)
        if pitched := [one for one in track.played(hit) if one.note is not None]:
            channel = LINE_CHANNELS[len(lines) % len(LINE_CHANNELS)]
            played = _one_voice([(one.at_beats, one.length_beats, one.note or 0, one.velocity) for one in pitched], sheet)
            lines.append(_part(_ascii(f"{hit.id}_line"), channel, played, sheet.length_beats))
        for cents in versions(hit):
            number = next(n for n in range(ROLE_NOTES[each.role], 128) if n not in taken)
            taken.add(number)
            struck = [one for one in track.played(hit) if one.note is None and one.tune_cents == cents]
            # A host plays a sound from its beginning: one that is placed by its end is struck so much earlier.
            begun = begun_beats(track, hit) if hit.by_end else {}
            strokes = [(begun.get(one.at_beats, one.at_beats), STROKE_BEATS, number, one.velocity) for one in struck]
            parts.append(_part(_ascii(version_name(hit.id, cents)), DRUM_CHANNEL, strokes, sheet.length_beats))
    file.tracks.extend([tempo, *parts, *lines])
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def strokes_midi(strokes: list[tuple[float, int]], *, role: PartRole, bpm: float) -> bytes:
    """A type 1 file of strokes, in beats and velocities, on the drum note of a role, to the end of their last bar."""
    ends = math.ceil((max((at for at, _ in strokes), default=0.0) + STROKE_BEATS) / 4) * 4
    tempo = mido.MidiTrack(
        [
            mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=0),
            mido.MetaMessage("end_of_track", time=ends * TICKS_PER_BEAT),
        ]
    )
    notes = [(at, STROKE_BEATS, ROLE_NOTES[role], velocity) for at, velocity in strokes]
    file = mido.MidiFile(type=1, ticks_per_beat=TICKS_PER_BEAT)
    file.tracks.extend([tempo, _part(_ascii(role), DRUM_CHANNEL, notes, ends)])
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _one_voice(notes: list[tuple[float, float | None, int, int]], sheet: Sheet) -> list[tuple[float, float, int, int]]:
    """Notes of a single voice: the next one ends the one before it, and the loop the last."""
    ends = [at for at, _, _, _ in notes[1:]] + [float(sheet.length_beats)] * bool(notes)
    return [
        (at, end - at if length is None else min(length, end - at), note, velocity)
        for (at, length, note, velocity), end in zip(notes, ends, strict=True)
    ]


def _ascii(text: str) -> str:
    return text.encode("ascii", "replace").decode()


def _part(name: str, channel: int, notes: list[tuple[float, float, int, int]], length_beats: int) -> mido.MidiTrack:
    events = []
    for at, length, note, velocity in notes:
        events.append((round(at * TICKS_PER_BEAT), 1, "note_on", note, velocity))
        events.append((round((at + length) * TICKS_PER_BEAT), 0, "note_off", note, 0))
    part, now = mido.MidiTrack([mido.MetaMessage("track_name", name=name, time=0)]), 0
    for tick, _, kind, note, velocity in sorted(events):
        part.append(mido.Message(kind, channel=channel, note=note, velocity=velocity, time=tick - now))
        now = tick
    part.append(mido.MetaMessage("end_of_track", time=max(0, length_beats * TICKS_PER_BEAT - now)))
    return part


MOST_EVENTS = 50_000
LARGEST_MIDI_BYTES = 2_000_000
# Standard MIDI Files 1.0: status bytes, how much data follows each kind of message, and meta events.
META, SYSEX, SYSEX_MORE, TRACK_CHUNK = 0xFF, 0xF0, 0xF7, b"MTrk"
DATA_BYTES = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}
END_OF_TRACK, SET_TEMPO, META_OF_NOBODY = 0x2F, 0x51, 0x7F
METAS_READ = (END_OF_TRACK, SET_TEMPO)


@dataclass(frozen=True)
class _Event:
    """One event of a file as far as it is looked at: the meta event it is, if any, and where that is said."""

    meta: int | None = None
    meta_at: int = 0


def _events(data: bytes) -> Iterator[_Event]:
    """The events of every track of a file, one at a time and nothing built of them; ends where the file makes no sense."""
    at = 14
    while at + 8 <= len(data):
        kind, end = data[at : at + 4], at + 8 + int.from_bytes(data[at + 4 : at + 8], "big")
        at += 8
        status = 0
        while kind == TRACK_CHUNK and at < min(end, len(data)):
            _, at = _variable(data, at)
            if at >= len(data):
                return
            if data[at] >= 0x80:
                status, at = data[at], at + 1
            meta_at, meta = at, None
            if status in (META, SYSEX, SYSEX_MORE):
                if status == META:
                    meta, at = (data[at] if at < len(data) else None), at + 1
                length, at = _variable(data, at)
                at += length
            else:
                at += DATA_BYTES.get(status & 0xF0, 1)
            yield _Event(meta, meta_at)
        at = end


def _variable(data: bytes, at: int) -> tuple[int, int]:
    """A number of variable length (at most four bytes), and where what follows it begins."""
    value = 0
    for _ in range(4):
        if at >= len(data):
            break
        value, more, at = value << 7 | data[at] & 0x7F, data[at] & 0x80, at + 1
        if not more:
            break
    return value, at


def read_notes(data: bytes) -> list[tuple[float, float, int]]:
    """Start and length in beats and number of every note of a MIDI file but those of the drum channel, in order.

    A file without a tempo has beats all the same. Raises InvalidMidi for what is no MIDI file, is cut off, has patterns
    that do not sound together (type 2), or more events than anybody has written, which are counted before they are read.
    """
    if len(data) > LARGEST_MIDI_BYTES:
        raise InvalidMidi(f"the file has {len(data) // 1_000_000} MB; no MIDI file of a track is that large")
    plain = bytearray(data)
    for count, event in enumerate(_events(data), start=1):
        if count > MOST_EVENTS:
            raise InvalidMidi(f"it has more than {MOST_EVENTS} events, and no more are read: export the part you need")
        if event.meta is not None and event.meta not in METAS_READ:
            # Key, time code, names: nothing of them is needed, and what is odd in them is no matter.
            plain[event.meta_at] = META_OF_NOBODY
    try:
        file = mido.MidiFile(file=io.BytesIO(plain))
    except (OSError, EOFError, ValueError, LookupError, TypeError, struct.error, mido.KeySignatureError):
        raise InvalidMidi("this is not a MIDI file, or it is cut off; export it again") from None
    if file.type == 2:
        raise InvalidMidi("its tracks are patterns of their own (type 2): export it as type 0 or 1")
    if not 0 < file.ticks_per_beat:
        raise InvalidMidi("its time is counted in film frames, not in beats; export it with beats")
    return sorted(note for track in file.tracks for note in _notes_of(track, file.ticks_per_beat))


def _notes_of(track: mido.MidiTrack, ticks_per_beat: int) -> list[tuple[float, float, int]]:
    out, at = [], 0
    held: dict[tuple[int, int], int] = {}
    for message in track:
        at += message.time
        if message.type not in ("note_on", "note_off") or message.channel == DRUM_CHANNEL:
            continue
        key = message.channel, message.note
        # A note that begins again ends the one before it.
        if (start := held.pop(key, None)) is not None and at > start:
            out.append((start / ticks_per_beat, (at - start) / ticks_per_beat, message.note))
        if message.type == "note_on" and message.velocity > 0:
            held[key] = at
    return out + [(start / ticks_per_beat, max(1, at - start) / ticks_per_beat, note) for (_, note), start in held.items()]
