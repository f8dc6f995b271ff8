"""Findings of what the sides of a hit become where both are one."""

from __future__ import annotations

from itertools import combinations

import numpy as np
from scipy import fft

from juglant.core.analysis.analyse import Analysis
from juglant.core.chain.width import Width
from juglant.core.findings.finding import Finding, Fix
from juglant.core.findings.layer_findings import named
from juglant.core.hit.render import folded, render_hit, rendered_layers
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.measure.stereo import worst_fold_band
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.ids import KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.signal.envelope import frames_of
from juglant.core.types import Samples

SIDES_PCT = 80.0
OTHER_SEED = 500
# Two layers of which one holds this much of the other, wherever it lies within REACH_MS, are one sound twice.
SAME_SOUND, REACH_MS = 0.9, 20.0


def _audio(track: Track, one: Part) -> Samples:
    rate, bpm = track.sheet.sample_rate, track.sheet.bpm
    return cached_stroke(one.hit, HARDEST, 0, rate, stroke_tempo(one.hit, bpm)).audio


def _two_sides(hit: Hit, layer: Layer) -> Hit | None:
    """The hit with two different takes of a layer, one on each side, in place of a delayed copy; None without a seed."""
    source = layer.source
    seed = getattr(source, "seed", None)
    if seed is None or len(hit.layers) >= MAX_LAYERS:
        return None
    chain = tuple(one for one in layer.chain if not isinstance(one, Width))
    taken = {one.id for one in hit.layers}
    name = next(name for k in range(2, 30) if (name := f"{layer.id[:36]}-{k}") not in taken)
    left = layer.model_copy(update={"chain": chain, "pan_pct": -SIDES_PCT})
    other = source.model_copy(update={"seed": (seed + OTHER_SEED) % 10000})
    right = left.model_copy(update={"id": name, "name": f"{layer.name} 2"[:40], "source": other, "pan_pct": SIDES_PCT})
    layers = [twin for one in hit.layers for twin in ((left, right) if one.id == layer.id else (one,))]
    return hit.model_copy(update={"layers": tuple(layers)})


def lost_in_mono(found: Analysis) -> list[Finding]:
    """A wide hit of which a band goes missing in mono; two different takes against the delayed copy, measured."""
    track, rate, said = found.track, found.track.sheet.sample_rate, []
    for one in (each for each in track.hits() if each.id != KICK_ID):
        worst = worst_fold_band(_audio(track, one), sample_rate=rate)
        if worst is None or worst[1] >= track.limits.fold_band_db:
            continue
        reason = f"At {worst[0]:.0f} Hz most of it is gone where both sides are one, as in a club's lows or on a phone."
        fixes: tuple[Fix, ...] = ()
        copied = next((layer for layer in one.hit.heard() if any(isinstance(p, Width) for p in layer.chain)), None)
        other = None if copied is None else _two_sides(one.hit, copied)
        if other is not None:
            audio = render_hit(other, sample_rate=rate, bpm=track.sheet.bpm).audio
            instead = worst_fold_band(audio, sample_rate=rate)
            if instead is not None:
                reason += f" Two different takes, one on each side, lose {-instead[1]:.1f} dB at most."
                fixes = (Fix(label="Two different takes", track=track.with_hit(one.id, other)),)
        said.append(
            Finding(
                id=named("lost-in-mono", one),
                step="hits",
                severity="look",
                title=f"{one.name}: a band is lost in mono",
                reason=reason,
                value=worst[1],
                unit="dB",
                limit=track.limits.fold_band_db,
                limit_kind="this project's choice",
                hit_id=one.id,
                fixes=fixes,
            )
        )
    return said


def likeness(one: Samples, other: Samples, *, sample_rate: int) -> float:
    """How much two sounds, (frames,), are the same waveform, -1..1: correlation at its largest within 20 ms."""
    size = 2 * fft.next_fast_len(max(one.size, other.size), real=True)
    cross = fft.irfft(fft.rfft(one, size) * np.conj(fft.rfft(other, size)), size)
    reach = frames_of(REACH_MS, sample_rate)
    near = np.concatenate((cross[: reach + 1], cross[-reach:]))
    scale = float(np.linalg.norm(one) * np.linalg.norm(other))
    return float(near[np.argmax(np.abs(near))]) / scale if scale > 0 else 0.0


def same_sound_twice(found: Analysis) -> list[Finding]:
    """One sound in two layers, panned or not: in the middle it only doubles, hard left and right it collapses in mono."""
    track, rate, said = found.track, found.track.sheet.sample_rate, []
    for one in track.hits():
        layers = one.hit.heard()
        if len(layers) < 2:
            continue
        sounds = [folded(x) for x in rendered_layers(one.hit, layers, sample_rate=rate, bpm=track.sheet.bpm)]
        for (layer, own), (other, others) in combinations(zip(layers, sounds, strict=True), 2):
            apart_pct = abs(layer.pan_pct - other.pan_pct)
            alike = likeness(own, others, sample_rate=rate)
            # In the middle that they do the same job is said already.
            if abs(alike) < SAME_SOUND or apart_pct == 0:
                continue
            said.append(_twice(track, one, layer, other, alike))
    return said


def _twice(track: Track, one: Part, layer: Layer, other: Layer, alike: float) -> Finding:
    turned = layer.inverted != other.inverted
    becomes = "they cancel" if turned != (alike < 0) else "one sound is left, twice as loud"
    left = tuple(each for each in one.hit.layers if each.id != other.id)
    fixes = [Fix(label=f"Remove {other.name}", track=track.with_hit(one.id, one.hit.model_copy(update={"layers": left})))]
    seed = getattr(other.source, "seed", None)
    if seed is not None:
        made = other.model_copy(update={"source": other.source.model_copy(update={"seed": (seed + OTHER_SEED) % 10000})})
        layers = tuple(made if each.id == other.id else each for each in one.hit.layers)
        hit = one.hit.model_copy(update={"layers": layers})
        fixes.insert(0, Fix(label=f"Another take of {other.name}", track=track.with_hit(one.id, hit)))
    return Finding(
        id=named(f"same-sound-{layer.id}-{other.id}", one),
        step="hits",
        severity="look",
        title=f"{one.name}: {layer.name} and {other.name} are one sound",
        reason=f"The same wave on either side is not width: where both sides are one, {becomes}.",
        value=100 * abs(alike),
        unit="% the same",
        limit=100 * SAME_SOUND,
        limit_kind="this project's choice",
        hit_id=one.id,
        fixes=tuple(fixes),
    )


FINDERS = (lost_in_mono, same_sound_twice)
