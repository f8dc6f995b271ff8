"""Standard MIDI files of the pattern: kick, bass and tempo."""

from __future__ import annotations

import io

import mido

from juglant.core.model.track import Track

TICKS_PER_BEAT = 960
KICK_NOTE = 36
KICK_LENGTH_BEATS = 0.25
VELOCITY = 100


def track_midi(track: Track) -> bytes:
    """A type 1 file: tempo track, kick on note 36, bass line; ended at the loop's length."""
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
    kicks = [(at, KICK_LENGTH_BEATS, KICK_NOTE) for at in track.kicks()]
    notes = track.notes()
    line = []
    for index, note in enumerate(notes):
        # A single voice: the next note ends this one; the last one ends with the loop.
        following = notes[index + 1].at_beats if index + 1 < len(notes) else float(sheet.length_beats)
        line.append((note.at_beats, min(note.length_beats, following - note.at_beats), note.note))
    file.tracks.extend([tempo, _part("kick", 9, kicks, sheet.length_beats), _part("bass", 0, line, sheet.length_beats)])
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _ascii(text: str) -> str:
    return text.encode("ascii", "replace").decode()


def _part(name: str, channel: int, notes: list[tuple[float, float, int]], length_beats: int) -> mido.MidiTrack:
    events = []
    for at, length, note in notes:
        events.append((round(at * TICKS_PER_BEAT), 1, "note_on", note))
        events.append((round((at + length) * TICKS_PER_BEAT), 0, "note_off", note))
    part, now = mido.MidiTrack([mido.MetaMessage("track_name", name=name, time=0)]), 0
    for tick, _, kind, note in sorted(events):
        velocity = VELOCITY if kind == "note_on" else 0
        part.append(mido.Message(kind, channel=channel, note=note, velocity=velocity, time=tick - now))
        now = tick
    part.append(mido.MetaMessage("end_of_track", time=max(0, length_beats * TICKS_PER_BEAT - now)))
    return part
