"""The pitch a hit is tuned and played by: landing or heard pitch as measured, or as set by hand."""

from __future__ import annotations

import hashlib
from typing import Literal

from juglant.core.hit.render import folded
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.measure.landing import Landing, measure_landing, no_landing
from juglant.core.measure.timing import measure_length_ms
from juglant.core.memory import newest
from juglant.core.model.hit import Hit
from juglant.core.model.part import Part
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import cents_between
from juglant.core.synth.take import Take
from juglant.core.types import Samples

Used = Literal["landing", "heard", "by hand", "none"]
# Where landing and heard pitch of a recorded hit differ by more than this in a hit known to be shorter than this, the heard
# one is tuned (this project's choice). A hit without a length (it ends in noise, or loud) is not short.
APART_CENTS, SHORT_MS = 20.0, 300.0


@newest(128)
def _measured(key: bytes, sample_rate: int, same: _Audio) -> tuple[Landing, float | None]:
    audio = same.audio
    if not audio.size:
        return no_landing(), None
    landing = measure_landing(audio, sample_rate=sample_rate)
    return landing, measure_length_ms(audio, sample_rate=sample_rate, firm_hz=landing.firm_hz)


class _Audio:
    """Audio that goes with a key which says all of it."""

    def __init__(self, audio: Samples) -> None:
        self.audio = audio

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Audio)

    def __hash__(self) -> int:
        return 0


def measured_pitch(audio: Samples, sample_rate: int) -> tuple[Landing, float | None]:
    """Landing and length of (frames,), remembered by its samples."""
    return _measured(hashlib.sha256(audio.tobytes()).digest(), sample_rate, _Audio(audio))


@newest(128)
def stroke_pitch(hit: Hit, sample_rate: int, tempo: float) -> tuple[Landing, float | None, int]:
    """Landing and length of a hit at full strength, and its frames before its start, remembered by its description."""
    whole = cached_stroke(hit, HARDEST, 0, sample_rate, tempo)
    return *measured_pitch(folded(whole.audio), sample_rate), whole.lead_frames


def chosen_pitch(one: Part, landing: Landing, length_ms: float | None) -> tuple[Used, float | None]:
    """Which figure a hit is tuned by, and that, Hz; None where it has no pitch."""
    hit = one.hit
    if hit.landing_by_hand_hz is not None:
        return "by hand", hit.landing_by_hand_hz
    if landing.landing_hz is None or landing.heard_hz is None:
        return "none", None
    if hit.tuned_by != "automatic":
        return hit.tuned_by, landing.heard_hz if hit.tuned_by == "heard" else landing.landing_hz
    apart = abs(cents_between(landing.heard_hz, landing.landing_hz)) > APART_CENTS
    # An engine's own pitch is its landing, and moves with its ruler cent by cent; the heard figure jumps as parts of the
    # fall pass the limit of what counts as heard.
    recorded = any(isinstance(layer.source, Take) for layer in hit.layers)
    if recorded and one.role != "kick" and apart and length_ms is not None and length_ms < SHORT_MS:
        return "heard", landing.heard_hz
    return "landing", landing.landing_hz


def measured_root_hz(one: Part, audio: Samples, sample_rate: int) -> float | None:
    """The pitch a hit's audio, (frames,), is tuned by, as a sampler's root note; None without one."""
    return chosen_pitch(one, *measured_pitch(audio, sample_rate))[1]


def played_root_hz(one: Part, sample_rate: int, bpm: float) -> float | None:
    """The pitch that a hit is at where it is struck as set, by which its notes are found; None for one without a pitch."""
    return chosen_pitch(one, *stroke_pitch(one.hit, sample_rate, stroke_tempo(one.hit, bpm))[:2])[1]
