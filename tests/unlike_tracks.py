"""Ten tracks unlike each other, to plan carve and duck on: what a plan does to one must not be taken for what it does."""

from __future__ import annotations

from juglant.core.model.carve import Carve
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.sheet import Sheet
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Track
from juglant.core.model.version_one import Mix
from juglant.core.synth.bass import Bass
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep

A_1, B_FLAT_1, D_2, E_2, G_1, A_2 = 33, 34, 38, 40, 31, 45
Line = list[tuple[float, float, int]]
# Each: tempo, kick lands at, decays in ms, bass, level of the bass, line of one bar or more, beats with a kick.
FOUR = (0.0, 1.0, 2.0, 3.0)


def _bars(line: Line, bars: int, length: int = 1) -> Line:
    return [(at + 4 * length * bar, long, note) for bar in range(bars // length) for at, long, note in line]


def _track(
    bpm: float, hz: float, decay_ms: float, bass: Bass, line: Line, *, bars: int = 2, owner: str = "kick",
    kicks: tuple[float, ...] = FOUR, bass_db: float = -8.0, kick_db: float = -8.0,
) -> Track:  # fmt: skip
    body = Sweep(landing_hz=hz, start_semitones=28, sweep_ms=45, hold_ms=25, decay_ms=decay_ms, release_ms=70, drive_db=3)
    beater = Beater(decay_ms=8)
    kick = Hit(
        layers=(Layer(id="b", name="B", source=body), Layer(id="c", name="C", source=beater, gain_db=-12)),
    )
    return Track(
        name="Unlike",
        sheet=Sheet(tonic="A", scale="natural minor", bpm=bpm, owner=owner, bars=bars),  # type: ignore[arg-type]
        kick=kick,
        kick_at_beats=tuple(at + 4 * bar for bar in range(bars) for at in kicks),
        bass=bass,
        bass_notes=tuple(BassNote(at_beats=at, length_beats=long, note=note) for at, long, note in line),
        mix=Mix(kick_gain_db=kick_db, bass_gain_db=bass_db),
        carve=Carve(floor_on=True),
    )


SUB, SAW = Bass(harmonics_pct=5), Bass(source="saw", filter_octaves=3)
PULSE = Bass(source="pulse", filter_octaves=2.5)
HELD: Line = _bars([(0, 2, A_1), (2, 2, E_2)], 2)
OFF_BEATS: Line = _bars([(0.5, 0.5, A_1), (1.5, 0.5, A_1), (2.5, 0.5, D_2), (3.5, 0.5, G_1)], 2)
OCTAVES: Line = _bars([(0.5 * i, 0.5, A_1 if i % 2 == 0 else A_2) for i in range(8)], 2)
SIXTEENTHS: Line = _bars([(0.25 * i, 0.25, (A_1, A_1, E_2, A_1)[i % 4]) for i in range(16)], 2)
BROKEN: Line = _bars([(0, 1.5, A_1), (1.5, 1, D_2), (2.5, 1.5, E_2)], 2)

UNLIKE: dict[str, Track] = {
    "saw, held, 96": _track(96, 52, 260, SAW, HELD),
    "sub, held, 126": _track(126, 55, 220, SUB, HELD),
    "octaves, 140": _track(140, 58, 180, PULSE, OCTAVES),
    "sixteenths, 126": _track(126, 50, 200, SAW, SIXTEENTHS),
    "broken beat, 174": _track(174, 54, 200, SUB, BROKEN, kicks=(0.0, 2.5)),
    "off-beats, 140, shared": _track(140, 55, 200, SAW, OFF_BEATS, owner="shared"),
    "four to the bar, 174": _track(174, 49, 260, SAW, HELD),
    "kick is the bass, 126": _track(126, 46, 380, PULSE, OFF_BEATS, owner="kick-is-bass"),
    "bass owns, driven, 126": _track(126, 62, 160, Bass(harmonics_pct=30, drive_db=9), HELD, owner="bass"),
    "low kick, bass above, 126": _track(126, 60, 200, PULSE, _bars([(0, 1.5, D_2), (1.5, 1, A_2), (2.5, 1.5, E_2)], 2)),
}  # fmt: skip
