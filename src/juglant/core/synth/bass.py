"""The bass: a sub, a source over it, a blip at each start so that note changes are heard, and a mid for small systems."""

from __future__ import annotations

from typing import Literal

import numpy as np
import scipy
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.crossover import high_branch, low_branch
from juglant.core.signal.drive import drive
from juglant.core.signal.envelope import frames_of, staged, with_edges
from juglant.core.signal.filters import butterworth, filter_hit
from juglant.core.synth.bass_sources import edged, partials, plucked, recorded, swept_filter
from juglant.core.synth.recorded_loop import bar_one, fitted_bars
from juglant.core.synth.take import LATEST_MS
from juglant.core.synth.takes import ID_PATTERN
from juglant.core.types import Samples

# Peak the tone is brought to, whatever it is made of.
PEAK = 0.9
OFF_DB = -60.0
# A copy of a sub has so little left where the mid begins that it takes this much to be heard (common practice: 15-20 dB).
MOST_MID_DB = 24.0
# The mid ends this many octaves above where it begins, so that it stays a bass.
MID_OCTAVES = 3.5
# All-passes that make the sides unlike each other (Schroeder 1962): what they add cancels in mono.
SIDE_DELAYS_MS, SIDE_FEEDBACK = (7.3, 11.9), 0.6


# The source that plays the part's own layers.
LAYERS: Literal["own layers"] = "own layers"

Layer = Literal["sub", "source", "mid", "start"]


class Bass(Description):
    """Bass engine: source, sub, start blip, mid."""

    engine: Literal["sub-bass"] = "sub-bass"
    source: Literal["sub", "saw", "pulse", "fm pluck", "recorded note", "recorded line", "own layers"] = Field(
        default="sub", title="Source", description="What the tone is made from."
    )
    take: str | None = Field(
        default=None, pattern=ID_PATTERN, description="The recorded note that plays the line, or the recorded line."
    )
    begin_ms: float = bar_one()
    fit_bars: int = fitted_bars()
    note_begin_ms: float = parameter(
        0, 0, LATEST_MS, "ms", "Where in its file the recorded note begins.", title="From", step=1, musical=(0, 4000)
    )
    root_hz: float = parameter(
        55, 20, 500, "Hz", "The pitch of the recorded note as it is: what it is transposed from.", title="Recorded root",
        scale="log", step=0.1,
    )  # fmt: skip
    harmonics_pct: float = parameter(
        35, 0, 80, "%", "Level of each harmonic against the one before it.", title="Harmonics", step=1
    )
    detune_cents: float = parameter(8, 0, 60, "cents", "How far apart the two oscillators are.", title="Detune", step=1)
    pulse_pct: float = parameter(50, 5, 50, "%", "How much of a cycle the pulse is up.", title="Pulse width", step=1)
    filter_octaves: float = parameter(
        2, 0.5, 8, "octaves", "Corner of the low-pass above the note.", title="Filter", step=0.1, musical=(1, 4)
    )
    filter_sweep_octaves: float = parameter(
        1.5, 0, 6, "octaves", "How much further it is open at the start.", title="Filter sweep", step=0.1
    )
    filter_decay_ms: float = parameter(
        160, 10, 2000, "ms", "Time the sweep takes to fall by 24 dB.", title="Filter decay", scale="log", step=5
    )
    fm_ratio: float = parameter(2, 0.5, 7, "", "Frequency of the modulator against the note.", title="Ratio", step=0.5)
    fm_index: float = parameter(3, 0, 10, "", "How bright the pluck begins.", title="Index", step=0.1)
    fm_decay_ms: float = parameter(
        180, 10, 2000, "ms", "Time the brightness takes to fall by 24 dB.", title="Pluck decay", scale="log", step=5
    )
    sub_db: float = parameter(
        -3, OFF_DB, 6, "dB", "Level of a plain sine at the note under the source; -60 is off.", title="Sub", step=0.5
    )
    layered: bool = Field(
        default=False,
        title="In layers",
        description="A plain sub below a corner and the source above it, each with its level; off, it is one sound.",
    )
    cross_hz: float = parameter(
        110, 50, 400, "Hz", "Where the sub ends and the source begins, 24 dB per octave.", title="Crossover", scale="log",
        step=5,
    )  # fmt: skip
    upper_db: float = parameter(
        0, OFF_DB, 6, "dB", "Level of the source above the crossover; -60 is off.", title="Source", step=0.5
    )
    drive_db: float = parameter(
        0, 0, 30, "dB", "Gain into saturation; in layers of the source alone.", title="Drive", step=0.5
    )
    attack_ms: float = parameter(4, 1, 200, "ms", "Rise of each note.", title="Attack", scale="log", step=1)
    release_ms: float = parameter(
        12, 3, 400, "ms", "Fall at the end of each note, inside its length.", title="Release", scale="log", step=1
    )
    fall_db_per_s: float = parameter(0, 0, 48, "dB/s", "How fast a held note fades.", title="Fade", step=1)
    blip_semitones: float = parameter(
        24, 7, 48, "semitones", "Pitch of the start blip above the note.", title="Blip pitch", step=1
    )
    blip_ms: float = parameter(
        18, 3, 120, "ms", "Time the blip takes to fall by 24 dB.", title="Blip decay", scale="log", step=1
    )
    blip_db: float = parameter(-5, -60, 0, "dB", "Level of the start blip; -60 is off.", title="Blip level", step=0.5)
    mid_db: float = parameter(
        OFF_DB,
        OFF_DB,
        MOST_MID_DB,
        "dB",
        "Level of a rolled-off copy that small systems can play; -60 is off.",
        title="Mid",
        step=0.5,
    )
    mid_from_hz: float = parameter(180, 100, 800, "Hz", "Where the mid begins.", title="Mid from", scale="log", step=10)
    mid_drive_db: float = parameter(
        12, 0, 30, "dB", "Gain of the copy into saturation: what makes its harmonics.", title="Mid drive", step=0.5
    )
    width_pct: float = parameter(
        0, 0, 100, "%", "How unlike the sides are above the mono corner; of a recording, how much of its own.",
        title="Width", step=1,
    )  # fmt: skip
    mono_below_hz: float = parameter(
        150, 60, 500, "Hz", "Below it both sides are the same, whatever the width.", title="Mono below", scale="log", step=5
    )

    @property
    def is_made(self) -> bool:
        """Whether it is made here note by note: neither a recorded line nor layers of its own."""
        return self.source not in ("recorded line", LAYERS)

    @property
    def has_sides(self) -> bool:
        """Whether the bass has two sides."""
        return self.width_pct > 0


def _source(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> Samples:
    """What the tone is made from, (frames,), peak about 1."""
    if settings.source == "sub":
        return partials(frequency_hz, settings.harmonics_pct / 100, frames=frames, sample_rate=sample_rate)
    if settings.source == "recorded note":
        ratio = frequency_hz / settings.root_hz
        begin_ms = settings.note_begin_ms
        return recorded(settings.take, ratio, begin_ms=begin_ms, frames=frames, sample_rate=sample_rate) / PEAK
    if settings.source == "fm pluck":
        return plucked(
            frequency_hz, ratio=settings.fm_ratio, index=settings.fm_index, decay_ms=settings.fm_decay_ms, frames=frames,
            sample_rate=sample_rate,
        )  # fmt: skip
    raw, _ = edged(
        settings.source, frequency_hz, width=settings.pulse_pct / 100, detune_cents=settings.detune_cents,
        frames=frames, sample_rate=sample_rate,
    )  # fmt: skip
    return swept_filter(
        raw, frequency_hz, octaves=settings.filter_octaves, sweep_octaves=settings.filter_sweep_octaves,
        decay_ms=settings.filter_decay_ms, sample_rate=sample_rate,
    )  # fmt: skip


def gain_of(level_db: float) -> float:
    """A level of a layer as a factor; at -60 it is off."""
    return 10 ** (level_db / 20) if level_db > OFF_DB else 0.0


def _tones(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> tuple[Samples, Samples | None]:
    """The source and, in layers, the sub under it, each (frames,); as one sound the sub is in the source."""
    source = _source(settings, frequency_hz, frames=frames, sample_rate=sample_rate)
    # The lowest partial of a saw or pulse and a sine start in step.
    sine = np.sin(2 * np.pi * frequency_hz / sample_rate * np.arange(frames))
    sub = gain_of(settings.sub_db)
    if settings.layered:
        driven = drive(PEAK * source, drive_db=settings.drive_db, edged=_is_edged(settings), sample_rate=sample_rate)
        upper = filter_hit(driven, high_branch(settings.cross_hz, sample_rate=sample_rate))
        lower = filter_hit(sub * PEAK * sine, low_branch(settings.cross_hz, sample_rate=sample_rate))
        return gain_of(settings.upper_db) * upper, lower
    if settings.source in ("sub", "recorded note"):
        one = PEAK * source
    else:
        one = (source + sub * sine) * (PEAK / (1 + sub))
    return drive(one, drive_db=settings.drive_db, edged=_is_edged(settings), sample_rate=sample_rate), None


def _edges(settings: Bass, tone: Samples, sample_rate: int) -> Samples:
    # A note shorter than its own edges keeps half of its length for each.
    longest_ms = tone.size / sample_rate * 500
    return with_edges(
        tone,
        start_ms=min(settings.attack_ms, longest_ms),
        end_ms=min(settings.release_ms, longest_ms),
        sample_rate=sample_rate,
    )


def _is_edged(settings: Bass) -> bool:
    return settings.source != "sub" or settings.harmonics_pct > 0


def mid_of(settings: Bass, tone: Samples, *, sample_rate: int) -> Samples:
    """The rolled-off copy of a tone at a level of 0 dB, (frames,)."""
    # What folds back at twice the rate lies over 80 dB under the note, as the tests measure at the ends of the rulers.
    driven = drive(tone, drive_db=settings.mid_drive_db, edged=False, sample_rate=sample_rate)
    top_hz = min(settings.mid_from_hz * 2**MID_OCTAVES, 0.45 * sample_rate)
    sections = np.vstack(
        (
            butterworth(4, settings.mid_from_hz, "highpass", sample_rate=sample_rate),
            butterworth(2, top_hz, "lowpass", sample_rate=sample_rate),
        )
    )
    return filter_hit(driven, sections)


def _unlike(mid: Samples, sample_rate: int) -> Samples:
    """The same spectrum with other phases, (frames,)."""
    for delay_ms in SIDE_DELAYS_MS:
        delay = frames_of(delay_ms, sample_rate)
        ahead, behind = np.zeros(delay + 1), np.zeros(delay + 1)
        ahead[0], ahead[-1] = -SIDE_FEEDBACK, 1.0
        behind[0], behind[-1] = 1.0, -SIDE_FEEDBACK
        mid = np.asarray(scipy.signal.lfilter(ahead, behind, mid))
    return mid


def _blip(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> Samples:
    """The start of a note, (frames,)."""
    shape = staged(
        attack_ms=0.5, hold_ms=1, decay_ms=settings.blip_ms, release_ms=settings.blip_ms, sample_rate=sample_rate
    )[:frames]
    high = frequency_hz * 2 ** (settings.blip_semitones / 12)
    out = np.zeros(frames)
    out[: shape.size] = gain_of(settings.blip_db) * np.sin(2 * np.pi * high / sample_rate * np.arange(shape.size)) * shape
    return out


def note_layers(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> dict[Layer, Samples]:
    """The layers of one note that are on, by name, each (frames,) with its edges: their sum is the note."""
    if not settings.is_made:
        # A recorded line is played whole; layers are rendered as any hit's are.
        return {}
    fade = 10 ** (-settings.fall_db_per_s / sample_rate * np.arange(frames) / 20)
    source, sub = _tones(settings, frequency_hz, frames=frames, sample_rate=sample_rate)
    layers: dict[Layer, Samples] = {"source": source * fade}
    if sub is not None:
        layers = {"sub": sub * fade, "source": source * fade}
    if settings.mid_db > OFF_DB:
        whole = np.sum(list(layers.values()), axis=0)
        layers["mid"] = gain_of(settings.mid_db) * mid_of(settings, whole, sample_rate=sample_rate)
    if settings.blip_db > OFF_DB:
        layers["start"] = _blip(settings, frequency_hz, frames=frames, sample_rate=sample_rate)
    return {name: _edges(settings, layer, sample_rate) for name, layer in layers.items()}


def render_note(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> Samples:
    """Render one note of `frames` length as it is in mono, (frames,), starting and ending in silence."""
    layers = note_layers(settings, frequency_hz, frames=frames, sample_rate=sample_rate)
    return np.sum(list(layers.values()), axis=0) if layers else np.zeros(frames)


def side_sections(settings: Bass, *, sample_rate: int) -> Samples:
    """What the sides pass, (4, 6): nothing of the lows, 48 dB per octave."""
    one = high_branch(settings.mono_below_hz, sample_rate=sample_rate)
    return np.vstack((one, one))


def render_side(settings: Bass, frequency_hz: float, *, frames: int, sample_rate: int) -> Samples:
    """What the left side of a note has more than mono and the right less, (frames,); silence without width."""
    if not settings.has_sides:
        return np.zeros(frames)
    # The start stays in the middle; the edges come last, so that what rings on in the all-passes ends with the note.
    alone = settings.model_copy(update={"blip_db": OFF_DB, "attack_ms": 1.0, "release_ms": 3.0})
    tone = render_note(alone, frequency_hz, frames=frames, sample_rate=sample_rate)
    above = filter_hit(tone, side_sections(settings, sample_rate=sample_rate))
    return _edges(settings, settings.width_pct / 100 * _unlike(above, sample_rate), sample_rate)
