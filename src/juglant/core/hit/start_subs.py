"""Long subs to start from, to be played as lines of their own: names of our own, common practice as ranges, each measured.

Common practice (brief): a long sub falls by an octave or two within the first tens of milliseconds, rings for a beat or
more, and carries harmonics for systems that do not play its fundamental.
"""

from __future__ import annotations

from juglant.core.hit.start import Family, Start, layered
from juglant.core.model.hit import Hit
from juglant.core.synth.registry import AnyEngine
from juglant.core.synth.tail import Tail


def _sub(family: Family, name: str, text: str, **layers: tuple[AnyEngine, float, float]) -> Start:
    return Start("sub", name, text, Hit(layers=layered(**layers)), family)


SUBS: tuple[Start, ...] = (
    _sub("deep", "Ballast", "Long and even, a plain low tone", sub=(
        Tail(landing_hz=55, attack_ms=8, hold_ms=600, decay_ms=900, release_ms=160), -2, 0,
    )),
    _sub("hard", "Sounding", "Falls into its note and rings on, with harmonics at the start", sub=(
        Tail(
            landing_hz=55, attack_ms=2, hold_ms=120, decay_ms=1100, release_ms=200, glide_semitones=12, glide_ms=50,
            bright_db=-18, bright_ms=60, drive_db=4,
        ),
        -2, 0,
    )),
    _sub("house", "Draught", "Short and round", sub=(
        Tail(landing_hz=55, attack_ms=5, hold_ms=60, decay_ms=220, release_ms=80), -2, 0,
    )),
    _sub("techno", "Trench", "Driven, heard on small systems too", sub=(
        Tail(landing_hz=55, attack_ms=4, hold_ms=400, decay_ms=800, release_ms=160, drive_db=16), -4, 0,
    )),
    _sub("broken", "Plummet", "Two octaves down within a tenth of a second, then nearly a second of note", sub=(
        Tail(
            landing_hz=55, attack_ms=1, hold_ms=60, decay_ms=900, release_ms=160, glide_semitones=24, glide_ms=90,
            bright_db=-12, bright_ms=35, drive_db=7,
        ),
        -3, 0,
    )),
    _sub("minimal", "Buoy", "Soft, and gone within a beat, with an octave above for small systems",
        sub=(Tail(landing_hz=55, attack_ms=25, hold_ms=40, decay_ms=320, release_ms=120), -3, 0),
        upper=(Tail(landing_hz=110, attack_ms=8, hold_ms=30, decay_ms=180, release_ms=80, drive_db=3), -17, 0),
    ),
)  # fmt: skip
