"""The Separate step's further questions: who should own the sub, how the parts add up, what they cost, one band alone."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.analyse import analysed
from juglant.core.analysis.bass_layers import BassLayer, bass_layers
from juglant.core.analysis.evenness import Evenness, evenness
from juglant.core.analysis.headroom import Headroom, measure_headroom
from juglant.core.analysis.kick_phase import LEAST_GAIN_DB, kick_phase
from juglant.core.analysis.other_parts import OtherPart, other_parts
from juglant.core.hit.render import folded
from juglant.core.loop.render import render_stem
from juglant.core.measure.bands import LOW_CENTRES_HZ, band_sections
from juglant.core.measure.level import no_louder
from juglant.core.measure.sides import SideBand, side_bands
from juglant.core.memory import elsewhere, newest
from juglant.core.model.stem import BASS, KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.music.tempo import frame_at
from juglant.core.pictures.room import ClashLayers, draw_layers
from juglant.core.plans.owners import Lean, leans
from juglant.core.reports.swap_check import Replanned, Swap, SwapCheck, check_swap, replanned, swapped
from juglant.core.separate.phase import Phase
from juglant.core.signal.envelope import with_edges
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples
from juglant.formats.wav import wav_float

EDGE_MS = 10.0
SILENT_PEAK = 1e-6


class SummingView(BaseModel):
    """How kick and bass add up: correlation of their low bands, summing gain over all and by band (0 dB is perfect)."""

    model_config = ConfigDict(frozen=True)
    correlation: float
    summing_db: float
    by_band_db: tuple[float | None, ...]


class PhaseView(BaseModel):
    """As it is and at its best, with the bass start (ms) and polarity that make it so."""

    model_config = ConfigDict(frozen=True)
    now: SummingView
    best: SummingView
    shift_ms: float
    inverted: bool
    gain_db: float
    worth: bool
    caution: str


class SeparateSheet(BaseModel):
    """Phase at the hit, headroom, what the sounds lean to, what other parts cost; of the bass layers, sides and notes."""

    model_config = ConfigDict(frozen=True)
    phase: PhaseView | None
    headroom: Headroom
    leans: tuple[Lean, ...]
    others: tuple[OtherPart, ...]
    sides: tuple[SideBand, ...]
    layers: tuple[BassLayer, ...]
    evenness: Evenness


def _meeting(found: Phase, best: bool) -> SummingView:
    one = found.best if best else found.now
    return SummingView(
        correlation=round(one.correlation, 3),
        summing_db=round(one.summing_db, 2),
        by_band_db=tuple(None if value is None else round(value, 1) for value in one.by_band_db),
    )


def _phase_view(track: Track) -> PhaseView | None:
    found = kick_phase(track)
    if found is None:
        return None
    changing = track.kick.velocity.robins > 1 or any(
        stroke.tune_cents or stroke.shift_ms or stroke.note for stroke in track.kick_strokes
    )
    return PhaseView(
        now=_meeting(found, best=False),
        best=_meeting(found, best=True),
        shift_ms=round(found.shift_ms, 2),
        inverted=found.inverted,
        gain_db=round(found.gain_db, 2),
        worth=found.gain_db > LEAST_GAIN_DB,
        caution="strokes of this kick differ in pitch, place or robin: what fits one does not fit the next"
        if changing
        else "it holds only while kick and bass are the same every time",
    )


@newest(6)
def sheet_of(track: Track) -> SeparateSheet:
    """Phase, headroom and leanings of a track (pure, remembered, bounded)."""
    found = analysed(track)
    side = found.stems.sides.get("heard")
    return SeparateSheet(
        phase=_phase_view(track),
        headroom=measure_headroom(found),
        leans=tuple(leans(found)),
        others=tuple(other_parts(found)),
        sides=() if side is None else tuple(side_bands(found.stems.bass, side, sample_rate=track.sheet.sample_rate)),
        layers=tuple(bass_layers(track)),
        evenness=evenness(track),
    )


def beside(track: Track, other: Track, parts: tuple[str, ...] = ()) -> bytes:
    """Kick, bass and some hits of another description, no louder than this one's."""

    def heard(one: Track) -> Samples:
        refs = (KICK, BASS, *(StemRef(part) for part in parts))
        return np.asarray(sum(folded(render_stem(one, ref)) for ref in refs))

    rate = track.sheet.sample_rate
    return wav_float(no_louder(heard(other), heard(track), sample_rate=rate), rate)


@newest(6)
@elsewhere(lambda track, swap: "Checking the swap")
def swap_of(track: Track, swap: Swap) -> SwapCheck:
    """Every figure of a track before and after a swap (pure, remembered); raises InvalidTrack for what cannot be."""
    return check_swap(track, swap)


def swap_wav(track: Track, swap: Swap, parts: list[Replanned]) -> bytes:
    """Kick and bass with a swap, planned anew as asked, no louder than they are now, as a 32-bit float WAV."""
    return beside(track, replanned(swapped(track, swap), parts))


@newest(4)
def layers_of(track: Track) -> ClashLayers:
    """Levels of kick and bass by band and frame (pure, remembered, bounded)."""
    return draw_layers(analysed(track))


def band_wav(track: Track, row: int, from_beats: float, to_beats: float, *, before: bool) -> bytes:
    """One third-octave band of kick and bass between two places of the loop, as a 32-bit float WAV."""
    sheet, stems = track.sheet, analysed(track).stems
    loop: Samples = stems.kick_before + stems.bass_before if before else stems.kick + stems.bass
    rate = sheet.sample_rate
    band = filter_loop(loop, band_sections(LOW_CENTRES_HZ[row], rate), sample_rate=rate)
    first, last = (frame_at(at, sheet.bpm, rate) for at in (from_beats, to_beats))
    part = band[np.arange(first, max(last, first + 1)) % band.size]
    return wav_float(with_edges(part, start_ms=EDGE_MS, end_ms=EDGE_MS, sample_rate=rate), rate)
