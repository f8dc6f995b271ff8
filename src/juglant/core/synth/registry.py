"""Every engine a layer can use: one line each in the union and in the table."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from juglant.core.synth import beater, chord, clap, fm, metal, rumble, skins, snare, sweep, tail, take
from juglant.core.synth.beater import Beater
from juglant.core.synth.chord import Chord
from juglant.core.synth.clap import Clap
from juglant.core.synth.fm import Fm
from juglant.core.synth.metal import Metal
from juglant.core.synth.rumble import Rumble
from juglant.core.synth.skins import Skins
from juglant.core.synth.snare import Snare
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail
from juglant.core.synth.take import Take
from juglant.core.types import Samples

AnyEngine = Sweep | Beater | Tail | Skins | Snare | Clap | Metal | Fm | Chord | Rumble | Take
Engine = Annotated[AnyEngine, Field(discriminator="engine")]

RENDERERS: dict[type[Any], Callable[..., Samples]] = {
    Sweep: sweep.render,
    Beater: beater.render,
    Tail: tail.render,
    Skins: skins.render,
    Snare: snare.render,
    Clap: clap.render,
    Metal: metal.render,
    Fm: fm.render,
    Chord: chord.render,
    Rumble: rumble.render,
    Take: take.render,
}


def render_engine(
    settings: AnyEngine, *, tune: float, sample_rate: int, strike: Samples | None = None, bpm: float = 120.0
) -> Samples:
    """Render any engine, (frames,), a wide rumble or take (2, frames); `tune` is a ratio for its pitches and corners.

    strike: a sound (frames,) that strikes the skins, or the kick a rumble is made of; the other engines have no use for
    it. bpm: the tempo, for a rumble.
    """
    if isinstance(settings, Rumble):
        return rumble.render(settings, tune=tune, sample_rate=sample_rate, kick=strike, bpm=bpm)
    if isinstance(settings, Skins):
        return skins.render(settings, tune=tune, sample_rate=sample_rate, strike=strike)
    return RENDERERS[type(settings)](settings, tune=tune, sample_rate=sample_rate)
