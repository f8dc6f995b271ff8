"""Standard MIDI files of the pattern: kick, bass, kit and tempo."""

from __future__ import annotations

import io
import struct

import mido

from juglant.core.errors import InvalidMidi
from juglant.core.model.kit import CONTEXT, KitHit, Role
from juglant.core.model.track import Track

TICKS_PER_BEAT = 960
# Drum notes of General MIDI level 1 by role; a second hit of a role takes the next that is free.
ROLE_NOTES: dict[Role, int] = {
    "kick": 36, "snare": 38, "clap": 39, "hat": 42, "open hat": 46, "tom": 45, "percussion": 62, "rumble": 35,
    "chord": 81,
}  # fmt: skip
DRUM_CHANNEL, BASS_CHANNEL = 9, 0
STROKE_BEATS = 0.25
BASS_VELOCITY = 100


def versions(hit: KitHit) -> list[float]:
    """Pitches a hit is played at, in cents from its own, its own first: each is a sound and a MIDI note of its own."""
    return [0.0, *sorted({stroke.tune_cents for stroke in hit.strokes if stroke.tune_cents})]


def version_name(hit_id: str, cents: float) -> str:
    """What a hit at a pitch of its own is called in files."""
    return f"{hit_id}{cents:+.0f}ct" if cents else hit_id


def track_midi(track: Track) -> bytes:
    """A type 1 file: tempo track, kick on note 36, bass line, every other hit; ended at the loop's length."""
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
    drums = []
    for hit in track.hits():
        if hit.role == CONTEXT:
            continue
        for cents in versions(hit):
            number = next(n for n in range(ROLE_NOTES[hit.role], 128) if n not in taken)
            taken.add(number)
            struck = [one for one in track.played(hit) if one.tune_cents == cents]
            strokes = [(one.at_beats, STROKE_BEATS, number, one.velocity) for one in struck]
            drums.append(_part(_ascii(version_name(hit.id, cents)), DRUM_CHANNEL, strokes, sheet.length_beats))
    notes = track.notes()
    line = []
    for index, note in enumerate(notes):
        # A single voice: the next note ends this one; the last one ends with the loop.
        following = notes[index + 1].at_beats if index + 1 < len(notes) else float(sheet.length_beats)
        line.append((note.at_beats, min(note.length_beats, following - note.at_beats), note.note, BASS_VELOCITY))
    bass = _part("bass", BASS_CHANNEL, line, sheet.length_beats)
    file.tracks.extend([tempo, drums[0], bass, *drums[1:]])
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


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


def read_notes(data: bytes) -> list[tuple[float, float, int]]:
    """Start and length in beats and number of every note of a MIDI file but those of the drum channel, in order.

    A file without a tempo has beats all the same. Raises InvalidMidi for what is no MIDI file, is cut off, has patterns
    that do not sound together (type 2), or more events than anybody has written.
    """
    if len(data) > LARGEST_MIDI_BYTES:
        raise InvalidMidi(f"the file has {len(data) // 1_000_000} MB; no MIDI file of a track is that large")
    try:
        file = mido.MidiFile(file=io.BytesIO(data))
    except (OSError, EOFError, ValueError, IndexError, KeyError, TypeError, struct.error):
        raise InvalidMidi("this is not a MIDI file, or it is cut off; export it again") from None
    if file.type == 2:
        raise InvalidMidi("its tracks are patterns of their own (type 2): export it as type 0 or 1")
    if not 0 < file.ticks_per_beat:
        raise InvalidMidi("its time is counted in film frames, not in beats; export it with beats")
    count = sum(len(track) for track in file.tracks)
    if count > MOST_EVENTS:
        raise InvalidMidi(f"it has {count} events and at most {MOST_EVENTS} are read: export the part you need")
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
