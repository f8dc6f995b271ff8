"""Findings of how the layers of each hit work together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import combinations

import numpy as np

from juglant.core.analysis.analyse import Analysis
from juglant.core.analysis.chain_changes import bass_changes, hit_changes
from juglant.core.analysis.groups import bus_changes
from juglant.core.chain.registry import AnyProcessor
from juglant.core.findings.finding import Finding, Fix
from juglant.core.findings.solving import fit_of
from juglant.core.hit.fit import fit_layers
from juglant.core.hit.render import folded, rendered_layers
from juglant.core.hit.stages import IDLE_DB, StageChange
from juglant.core.hit.strokes import cached_stroke, stroke_tempo
from juglant.core.loop.groups import working
from juglant.core.measure.bands import quick_band_energies, zone_energies
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.model.velocity import HARDEST
from juglant.core.signal.envelope import frames_of
from juglant.core.synth.beater import Beater
from juglant.core.types import Samples

SLICE_MS = 10.0


def named(found: str, one: Part) -> str:
    """A finding's id: the kick's as they were, any other hit's with its own."""
    return found if one.id == KICK_ID else f"{found}-in-{one.id}"


def _audio(track: Track, one: Part) -> Samples:
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
                id=named("layers-cancel", one),
                step="hits",
                severity="look",
                title=f"{one.name}: layers work against each other",
                reason=f"Their starts or polarity cost low end: in step the same layers have {won:.1f} dB more of it.",
                value=won,
                unit="dB",
                limit=track.limits.fit_db,
                limit_kind="this project's choice",
                hit_id=one.id,
                fixes=(Fix(label="Fit the layers", solve=fit_of(one.id)),),
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
                    id=named(f"adds-nothing-{layer.id}", one),
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
                    id=named(f"same-job-{layer.id}-{other.id}", one),
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
    """A kick that starts without being heard on small speakers, whatever its layers are."""
    track = found.track
    click_db = found.kick.timing.click_db if found.kick else None
    comes_from_a_loop = track.kick_loop.plays and not track.kick_loop.processed
    if click_db is None or click_db >= track.limits.click_db or len(track.kick.layers) >= MAX_LAYERS or comes_from_a_loop:
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
            title="Kick: nothing makes the click",
            reason=(
                "Its first 10 ms hold next to nothing above 2 kHz, against the whole kick: on small speakers it starts "
                "without being heard."
            ),
            value=click_db,
            unit="dB",
            limit=track.limits.click_db,
            limit_kind="this project's choice",
            hit_id=KICK_ID,
            fixes=(Fix(label="Add a beater", track=track.with_hit(KICK_ID, hit)),),
        )
    ]


def idle_processors(found: Analysis) -> list[Finding]:
    """Processors that are on and change nothing, on layers, on a bus that is bound, and on the bass."""
    track, said = found.track, []
    for one in track.hits():
        moved = hit_changes(track, one.id)
        for layer in one.hit.heard():
            for place in _idle_places(layer.chain, moved.layers[layer.id]):
                changed = layer.model_copy(update={"chain": _without_stage(layer.chain, place)})
                layers = tuple(changed if each.id == layer.id else each for each in one.hit.layers)
                what = f"{layer.chain[place].kind} on {layer.name}"
                hit = one.hit.model_copy(update={"layers": layers})
                said.append(
                    _idle(named(f"idle-{layer.id}-{place}", one), one.name, one.id, what, track.with_hit(one.id, hit))
                )
        for place in _idle_places(one.hit.bus if one.hit.bind else (), moved.bus):
            hit = one.hit.model_copy(update={"bus": _without_stage(one.hit.bus, place)})
            what = f"{one.hit.bus[place].kind} on its bus"
            said.append(_idle(named(f"idle-bus-{place}", one), one.name, one.id, what, track.with_hit(one.id, hit)))
    for place in _idle_places(track.bass_chain, bass_changes(track)):
        made = track.with_part(BASS_PART, chain=_without_stage(track.bass_chain, place))
        what = f"{track.bass_chain[place].kind} on its line"
        said.append(_idle(f"bass-idle-{place}", "Bass", BASS_PART, what, made))
    for group in working(track):
        for place in _idle_places(group.bus, bus_changes(track, group)):
            bus = _without_stage(group.bus, place)
            groups = tuple(each.model_copy(update={"bus": bus}) if each is group else each for each in track.groups)
            made = track.model_copy(update={"groups": groups})
            what = f"{group.bus[place].kind} on it"
            said.append(_idle(f"{group.id}-idle-{place}", f"The bus {group.name}", group.id, what, made))
    return said


def _idle_places(chain: Sequence[AnyProcessor], moved: tuple[StageChange, ...]) -> list[int]:
    return [place for place, (one, change) in enumerate(zip(chain, moved, strict=True)) if one.on and change.idle]


def _without_stage(chain: tuple[AnyProcessor, ...], place: int) -> tuple[AnyProcessor, ...]:
    return (*chain[:place], *chain[place + 1 :])


def _idle(finding: str, name: str, part: str, what: str, without: Track) -> Finding:
    return Finding(
        id=finding,
        step="hits",
        severity="note",
        title=f"{name}: {what} changes nothing",
        reason=f"No level, crest or zone moves by as much as {IDLE_DB:g} dB.",
        value=0.0,
        unit="dB",
        limit=IDLE_DB,
        limit_kind="this project's choice",
        hit_id=part,
        fixes=(Fix(label="Remove it", track=without),),
    )


FINDERS = (layers_cancel, same_job, layer_adds_nothing, missing_click, idle_processors)
