"""A duck for hosts: rows as CSV and JSON, a MIDI controller, the gain as a sound file; the trigger as notes and clicks."""

from __future__ import annotations

import io
import json

import mido
import numpy as np

from juglant.core.duck.curve import GainRows
from juglant.core.music.tempo import frame_at
from juglant.formats.midi import TICKS_PER_BEAT
from juglant.formats.wav import wav_24, wav_float

# Gain as samples at this rate: four to a row of the file.
AUTOMATION_RATE = 8000
# Expression (MIDI 1.0): 127 is no gain, or the most of it where make-up lifts, and the value goes as the amplitude.
CONTROLLER, TOP = 11, 127
TRIGGER_NOTE, TRIGGER_BEATS, TRIGGER_VELOCITY = 36, 0.125, 127
CLICK_MS = 1.0


def duck_json(rows: GainRows, *, bpm: float, keys_beats: list[float]) -> str:
    """The rows with the tempo and the places of the keys they come from."""
    document = {
        "format": "juglant-duck",
        "bpm": bpm,
        "loop_s": float(rows.at_s[-1]),
        "keys_beats": [round(at, 6) for at in keys_beats],
        "rows": [[float(at), float(gain)] for at, gain in zip(rows.at_s, rows.gain_db, strict=True)],
    }
    return json.dumps(document, allow_nan=False) + "\n"


def duck_wav(rows: GainRows) -> bytes:
    """The gain as a factor at 8 kHz, 32-bit float, one channel: 1 is no gain."""
    time = np.arange(round(float(rows.at_s[-1]) * AUTOMATION_RATE)) / AUTOMATION_RATE
    return wav_float(10 ** (np.interp(time, rows.at_s, rows.gain_db) / 20), AUTOMATION_RATE)


def top_db(rows: GainRows) -> float:
    """The gain that the highest value of the controller stands for, dB: 0, or the most where make-up lifts over it."""
    return max(0.0, float(rows.gain_db.max()))


def controller_resolution_db(rows: GainRows) -> float:
    """Half a step of the controller at the deepest gain, dB: no value is further off."""
    deepest = TOP * 10 ** ((float(rows.gain_db.min()) - top_db(rows)) / 20)
    return float(20 * np.log10((deepest + 0.5) / deepest))


def duck_midi(rows: GainRows, *, bpm: float, length_beats: int, name: str) -> bytes:
    """The curve as controller 11 over the loop: an event wherever the nearest value changes, ticks of 1/960 beat."""
    ticks = np.arange(length_beats * TICKS_PER_BEAT + 1)
    gain = np.interp(ticks * 60 / bpm / TICKS_PER_BEAT, rows.at_s, rows.gain_db)
    top = top_db(rows)
    values = np.clip(np.rint(TOP * 10 ** ((gain - top) / 20)), 0, TOP).astype(int)
    at = np.flatnonzero(np.concatenate(([True], np.diff(values) != 0)))
    law = "20 log10(v/127)" + (f" + {top:.2f}" if top else "")
    said = (
        f"controller {CONTROLLER}: value v is {law} dB, within {controller_resolution_db(rows):.2f} dB; "
        f"ramps in steps of 1/{TICKS_PER_BEAT} beat"
    )
    part = mido.MidiTrack([mido.MetaMessage("track_name", name=name, time=0), mido.MetaMessage("text", text=said, time=0)])
    part.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=0))
    now = 0
    for tick in at.tolist():
        part.append(mido.Message("control_change", control=CONTROLLER, value=int(values[tick]), time=tick - now))
        now = tick
    part.append(mido.MetaMessage("end_of_track", time=length_beats * TICKS_PER_BEAT - now))
    return _saved(part)


def trigger_midi(keys_beats: list[float], *, bpm: float, length_beats: int) -> bytes:
    """The silent trigger as short notes on C1."""
    part = mido.MidiTrack([mido.MetaMessage("track_name", name="trigger", time=0)])
    part.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=0))
    ends = [*keys_beats[1:], float(length_beats)]
    now = 0
    for at, after in zip(keys_beats, ends, strict=True):
        start = round(at * TICKS_PER_BEAT)
        stop = round(min(at + TRIGGER_BEATS, (at + after) / 2 + 1e-3, length_beats) * TICKS_PER_BEAT)
        part.append(mido.Message("note_on", note=TRIGGER_NOTE, velocity=TRIGGER_VELOCITY, time=start - now))
        part.append(mido.Message("note_off", note=TRIGGER_NOTE, velocity=0, time=max(1, stop - start)))
        now = start + max(1, stop - start)
    part.append(mido.MetaMessage("end_of_track", time=max(0, length_beats * TICKS_PER_BEAT - now)))
    return _saved(part)


def trigger_wav(keys_beats: list[float], *, bpm: float, length_beats: int, sample_rate: int) -> bytes:
    """The silent trigger as clicks of 1 ms over the loop, 24-bit, -1 dBFS: for the side chain of any host."""
    out = np.zeros(frame_at(length_beats, bpm, sample_rate))
    for at in keys_beats:
        start = frame_at(at, bpm, sample_rate)
        out[start : start + max(1, round(CLICK_MS * sample_rate / 1000))] = 10 ** (-1 / 20)
    return wav_24(out, sample_rate, landing_hz=None)


def _saved(part: mido.MidiTrack) -> bytes:
    file, out = mido.MidiFile(type=0, ticks_per_beat=TICKS_PER_BEAT), io.BytesIO()
    file.tracks.append(part)
    file.save(file=out)
    return out.getvalue()
