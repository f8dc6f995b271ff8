"""Findings of how the layers of each hit work together."""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np

from juglant.core.chain.width import Width
from juglant.core.findings.finding import Finding, Fix
from juglant.core.hit.fit import fit_layers
from juglant.core.hit.render import folded, render_hit, rendered_layers
from juglant.core.hit.stages import IDLE_DB, changes
from juglant.core.hit.stages_of import stages_of_layer
from juglant.core.hit.strokes import cached_stroke
from juglant.core.measure.bands import quick_band_energies, zone_energies
from juglant.core.measure.job import job_of
from juglant.core.measure.stereo import worst_fold_band
from juglant.core.mix.analyse import Analysis
from juglant.core.mix.kit import stroke_tempo
from juglant.core.mix.plan import layers_fitted
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.kit import KICK_ID, KitHit
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.signal.envelope import frames_of
from juglant.core.synth.beater import Beater
from juglant.core.types import Samples

SLICE_MS = 10.0
SIDES_PCT = 80.0
OTHER_SEED = 500


def _named(found: str, one: KitHit) -> str:
    """A finding's id: the kick's as they were, any other hit's with its own."""
    return found if one.id == KICK_ID else f"{found}-in-{one.id}"


def _audio(track: Track, one: KitHit) -> Samples:
    rate, bpm = track.sheet.sample_rate, track.sheet.bpm
    return cached_stroke(one.hit, HARDEST, 0, rate, stroke_tempo(one.hit, bpm)).audio


def layers_cancel(found: Analysis) -> list[Finding]:
    """Layers that would sum to clearly more low end elsewhere or turned over."""
    track, said = found.track, []
    for one in track.hits():
        fit = fit_layers(one.hit, track.sheet.sample_rate, stroke_tempo(one.hit, track.sheet.bpm))
        if fit is None or fit.after_db - fit.now_db <= track.limits.fit_db:
            continue
        won = fit.after_db - fit.now_db
        said.append(
            Finding(
                id=_named("layers-cancel", one),
                step="hits",
                severity="look",
                title=f"{one.name}: layers work against each other",
                reason=f"Their starts or polarity cost low end: in step the same layers have {won:.1f} dB more of it.",
                value=won,
                unit="dB",
                limit=track.limits.fit_db,
                limit_kind="this project's choice",
                hit_id=one.id,
                fixes=(Fix(label="Fit the layers", track=layers_fitted(track, one.id)),),
            )
        )
    return said


def _without(hit: Hit, layer: Layer) -> Hit:
    return hit.model_copy(update={"layers": tuple(one for one in hit.layers if one.id != layer.id)})


def layer_adds_nothing(found: Analysis) -> list[Finding]:
    """Layers that stay under the sum by the limit in every zone."""
    track, rate, said = found.track, found.track.sheet.sample_rate, []
    for one in track.hits():
        layers, audio = one.hit.heard(), folded(_audio(track, one))
        if len(layers) < 2 or not audio.size:
            continue
        whole = zone_energies(audio, sample_rate=rate)
        total = sum(whole.values())
        rendered = rendered_layers(one.hit, layers, sample_rate=rate, bpm=track.sheet.bpm)
        for layer, sound in zip(layers, rendered, strict=True):
            own = zone_energies(folded(sound), sample_rate=rate)
            # A zone 60 dB under the whole is not heard, whoever fills it.
            heard = [name for name in whole if whole[name] > 1e-6 * total]
            most = 10 * math.log10(max(1e-12, *(own[name] / max(whole[name], 1e-30) for name in heard)))
            if most >= track.limits.adds_db:
                continue
            said.append(
                Finding(
                    id=_named(f"adds-nothing-{layer.id}", one),
                    step="hits",
                    severity="note",
                    title=f"{one.name}: {layer.name} adds nothing",
                    reason="In no zone is it within hearing of the sum.",
                    value=most,
                    unit="dB",
                    limit=track.limits.adds_db,
                    limit_kind="this project's choice",
                    hit_id=one.id,
                    fixes=(Fix(label=f"Remove {layer.name}", track=track.with_hit(one.id, _without(one.hit, layer))),),
                )
            )
    return said


def _shape(audio: Samples, *, sample_rate: int) -> tuple[Samples, Samples]:
    """Where a sound's energy lies: by third-octave band, and by 10 ms slice; each of length one."""
    bands = np.sqrt(quick_band_energies(audio, sample_rate=sample_rate))
    size = frames_of(SLICE_MS, sample_rate)
    padded = np.append(audio**2, np.zeros(-audio.size % size))
    slices = np.sqrt(padded.reshape(-1, size).sum(axis=1))
    return bands / max(float(np.linalg.norm(bands)), 1e-12), slices / max(float(np.linalg.norm(slices)), 1e-12)


def alike_pct(one: tuple[Samples, Samples], other: tuple[Samples, Samples]) -> float:
    """How far two sounds do the same, from their shapes: cosine of bands times cosine of slices of time, 0 to 100."""
    (bands, slices), (others, other_slices) = one, other
    count = max(slices.size, other_slices.size)
    first, second = (np.append(x, np.zeros(count - x.size)) for x in (slices, other_slices))
    return 100 * float(bands @ others) * float(first @ second)


def same_job(found: Analysis) -> list[Finding]:
    """Two layers that fill the same bands at the same time."""
    track, rate, said = found.track, found.track.sheet.sample_rate, []
    for one in track.hits():
        layers = [layer for layer in one.hit.heard() if layer.pan_pct == 0]
        if len(layers) < 2:
            continue
        rendered = [folded(x) for x in rendered_layers(one.hit, layers, sample_rate=rate, bpm=track.sheet.bpm)]
        shapes = [_shape(sound, sample_rate=rate) if np.any(sound) else None for sound in rendered]
        for (layer, own), (other, others) in combinations(zip(layers, shapes, strict=True), 2):
            if own is None or others is None or abs(layer.offset_ms - other.offset_ms) > SLICE_MS:
                continue
            alike = alike_pct(own, others)
            if alike < track.limits.same_job_pct:
                continue
            quieter = min((layer, other), key=lambda each: each.gain_db)
            said.append(
                Finding(
                    id=_named(f"same-job-{layer.id}-{other.id}", one),
                    step="hits",
                    severity="look",
                    title=f"{one.name}: {layer.name} and {other.name} do the same job",
                    reason="They fill the same bands at the same time: one of them, louder, is cleaner.",
                    value=alike,
                    unit="% alike",
                    limit=track.limits.same_job_pct,
                    limit_kind="this project's choice",
                    hit_id=one.id,
                    fixes=(Fix(label=f"Remove {quieter.name}", track=track.with_hit(one.id, _without(one.hit, quieter))),),
                )
            )
    return said


def missing_click(found: Analysis) -> list[Finding]:
    """A kick no layer of which is heard on small speakers."""
    track, rate = found.track, found.track.sheet.sample_rate
    layers = track.kick.heard()
    if not layers or len(track.kick.layers) >= MAX_LAYERS:
        return []
    rendered = rendered_layers(track.kick, layers, sample_rate=rate, bpm=track.sheet.bpm)
    jobs = {job_of(folded(audio), sample_rate=rate) for audio in rendered}
    whole = zone_energies(found.kick_hit.audio, sample_rate=rate)
    above = 10 * math.log10(max(1e-12, (whole["attack"] + whole["top"]) / max(sum(whole.values()), 1e-30)))
    if "click" in jobs or "silent" in jobs:
        return []
    taken = {layer.id for layer in track.kick.layers}
    name = next(name for name in ("beater", "beater-2", "beater-3", "beater-4") if name not in taken)
    beater = Layer(id=name, name="Beater", source=Beater(), gain_db=-10)
    hit = track.kick.model_copy(update={"layers": (beater, *track.kick.layers)})
    return [
        Finding(
            id="missing-click",
            step="hits",
            severity="note",
            title="Kick: no layer makes the click",
            reason="Nothing of it is short and high: on small speakers it starts without being heard.",
            value=above,
            unit="dB above 1.8 kHz",
            limit=None,
            limit_kind="common practice",
            hit_id=KICK_ID,
            fixes=(Fix(label="Add a beater", track=track.with_hit(KICK_ID, hit)),),
        )
    ]


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
    for one in track.hits()[1:]:
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
                id=_named("lost-in-mono", one),
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


def idle_processors(found: Analysis) -> list[Finding]:
    """Processors that are on and change nothing."""
    track, rate, bpm, said = found.track, found.track.sheet.sample_rate, found.track.sheet.bpm, []
    for one in track.hits():
        for layer in one.hit.heard():
            moved = changes(stages_of_layer(one.hit, layer.id, rate, stroke_tempo(one.hit, bpm)), sample_rate=rate)
            for place, (settings, change) in enumerate(zip(layer.chain, moved, strict=True)):
                if not settings.on or not change.idle:
                    continue
                chain = layer.chain[:place] + layer.chain[place + 1 :]
                layers = tuple(
                    each.model_copy(update={"chain": chain}) if each.id == layer.id else each for each in one.hit.layers
                )
                hit = one.hit.model_copy(update={"layers": layers})
                said.append(
                    Finding(
                        id=_named(f"idle-{layer.id}-{place}", one),
                        step="hits",
                        severity="note",
                        title=f"{one.name}: {settings.kind} on {layer.name} changes nothing",
                        reason=f"No level, crest or zone moves by as much as {IDLE_DB:g} dB.",
                        value=0.0,
                        unit="dB",
                        limit=IDLE_DB,
                        limit_kind="this project's choice",
                        hit_id=one.id,
                        fixes=(Fix(label="Remove it", track=track.with_hit(one.id, hit)),),
                    )
                )
    return said


FINDERS = (layers_cancel, same_job, layer_adds_nothing, missing_click, lost_in_mono, idle_processors)
