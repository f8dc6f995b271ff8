"""The invented demo track: a clash that everything in Juglant is there to solve."""

from __future__ import annotations

from functools import lru_cache

from juglant.core.model.carve import Carve
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import BASS, KICK
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import BassNote, struck
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.plans.plan import make_room
from juglant.core.synth.bass import Bass
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.tune.retune import tuned

NAME = "Tidewater Loop"
B_FLAT_1, E_FLAT_2, F_2 = 34, 39, 41
# Root movement by bar; held under the kick, then moving in its gaps.
LINE = (
    (0.0, 0.75, B_FLAT_1), (0.75, 0.25, B_FLAT_1), (1.5, 0.5, B_FLAT_1), (2.0, 0.5, B_FLAT_1), (2.75, 0.75, F_2),
    (3.5, 0.5, B_FLAT_1),
    (4.0, 0.75, B_FLAT_1), (4.75, 0.25, B_FLAT_1), (5.5, 0.5, B_FLAT_1), (6.0, 0.5, B_FLAT_1), (6.75, 0.75, F_2),
    (7.5, 0.5, E_FLAT_2),
    (8.0, 0.75, E_FLAT_2), (8.75, 0.25, E_FLAT_2), (9.5, 0.5, E_FLAT_2), (10.0, 0.5, E_FLAT_2), (10.75, 0.75, B_FLAT_1),
    (11.5, 0.5, E_FLAT_2),
    (12.0, 0.75, F_2), (12.75, 0.25, F_2), (13.5, 0.5, F_2), (14.0, 0.5, E_FLAT_2), (14.75, 0.75, B_FLAT_1),
    (15.5, 0.5, B_FLAT_1),
)  # fmt: skip


def _notes() -> tuple[BassNote, ...]:
    return tuple(BassNote(at_beats=at, length_beats=length, note=note) for at, length, note in LINE)


def untouched_track() -> Track:
    """The demo before anything was done: a kick between two notes, and a bass all over it."""
    kick = Hit(
        layers=(
            Layer(
                id="beater",
                name="Beater",
                source=Beater(colour_db_per_octave=-1.5, high_pass_hz=1800, low_pass_hz=8000, decay_ms=7, blip_db=-16),
                gain_db=-9,
            ),
            Layer(
                id="body",
                name="Body",
                source=Sweep(
                    landing_hz=55.4, start_semitones=30, sweep_ms=50, shape=0.1, hold_ms=20, decay_ms=160, release_ms=80,
                    drive_db=4,
                ),
                gain_db=-1.5,
            ),
            Layer(
                id="tail",
                name="Tail",
                source=Tail(landing_hz=55.4, attack_ms=60, hold_ms=40, decay_ms=170, release_ms=90),
                gain_db=-14,
                offset_ms=8,
            ),
        )
    )  # fmt: skip
    return Track(
        name=NAME,
        sheet=Sheet(tonic="Bb", scale="natural minor", bpm=126, owner="kick", bars=4),
        parts=(
            KICK.model_copy(
                update={"hit": kick, "strokes": tuple(struck(float(beat)) for beat in range(16)), "gain_db": -8}
            ),
            BASS.model_copy(update={"instrument": Bass(harmonics_pct=42, drive_db=3), "notes": _notes(), "gain_db": -9}),
        ),
        carve=Carve(floor_on=True),
    )


@lru_cache(maxsize=1)
def solved_track() -> Track:
    """The demo with the kick brought onto the tonic, and the computed carve and duck applied."""
    track = untouched_track()
    return make_room(tuned(track, KICK_ID, note_hz(B_FLAT_1, track.sheet.a4_hz)))
