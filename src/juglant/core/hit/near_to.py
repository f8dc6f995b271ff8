"""Near to a recording: the start and the rulers whose sound comes closest to a recorded one, and how far it stays away.

A search, not a formula: every start of the role is brought to the recording's pitch and heard against it; of the nearest
ones the rulers are moved, one after the other, as long as that brings them nearer (pattern search, Hooke & Jeeves 1961);
what is missing is filled by a band of noise; bells on the bus bring the third octaves to their levels; last, the pitch.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.chain.equalizer import Equalizer
from juglant.core.chain.registry import MOST_PROCESSORS
from juglant.core.errors import InvalidTrack
from juglant.core.hit.levelled import as_loud
from juglant.core.hit.near_features import (
    Sound,
    band_errors,
    distance,
    falls_apart,
    heard_bands,
    pitch_apart_cents,
    sound_of_audio,
    strongest_hz,
    tonal_share,
)
from juglant.core.hit.render import render_hit
from juglant.core.hit.roll import LANDING, rulers_of
from juglant.core.hit.start import Start
from juglant.core.hit.starts import LOUDNESS_DB, STARTS
from juglant.core.hit.transpose import retuned
from juglant.core.measure.bands import CENTRES_HZ
from juglant.core.measure.landing import measure_landing
from juglant.core.measure.level import energy_loudness_db
from juglant.core.memory import elsewhere
from juglant.core.model.hit import MAX_LAYERS, Hit, Layer
from juglant.core.model.ids import Role
from juglant.core.music.notes import cents_between
from juglant.core.parameter.fields import along
from juglant.core.progress import step
from juglant.core.synth.beater import Beater
from juglant.core.types import Samples

# So many of the starts are followed up, and their rulers moved by these shares of their length.
FOLLOWED, STEPS, LAST_STEP = 3, (0.16, 0.06), 0.03
# Of a sound only so much is looked at: until all but this share of it has passed.
LONGEST_S, SHORTEST_S, PASSED_DB = 3.0, 0.25, -50.0
# Bells a third of an octave wide, and rounds in which they find their levels together; the worst band counts beside all.
BELL_Q, BELL_ROUNDS, BELL_SHARE, BELL_LEAST_DB, BELL_ENDS_DB = 4.3, 16, 0.7, 0.25, (-24.0, 18.0)
CLOSE_DB, WORST_SHARE = 0.5, 0.3
# A band that is further away than this weighs so much more when one result is chosen among several.
GOAL_DB, OVER_SHARE = 1.5, 4.0
TUNED_ROUNDS, TUNED_CENTS, FAR_CENTS = 5, 0.5, 150.0
# From here on a band is said to be missing, and noise is put there.
MISSING_DB = 5.0
# What has no landing has a pitch where this share of what is left after the stroke lies in one partial.
TONAL = 0.3
FILL = "fill"
SILENT = 1e-6


@dataclass(frozen=True)
class NearTo:
    """A sound made near to a recording, and how far it stays away.

    start: what it was made from; bands_db: rms over the third octaves within 30 dB of the recording's strongest; worst_db
    at worst_hz; falls_db: rms over how its zones fall; cents: its settled pitch re the recording's, None where it has none;
    length_ms, recorded_ms: time to fall by 60 dB, and of the recording; was_db: the start's own third octaves, in tune;
    path_cents: rms of how its pitch moves, slice by slice; louder_db: K-weighted energy of the recording re this hit's.
    """

    hit: Hit
    start: str
    bands_db: float
    worst_db: float
    worst_hz: float
    falls_db: float
    cents: float | None
    length_ms: float
    recorded_ms: float
    was_db: float
    louder_db: float
    path_cents: float | None


@elsewhere(lambda audio, role, sample_rate, bpm: "Rebuild a recorded sound")
def near_to(audio: bytes, role: Role, sample_rate: int, bpm: float) -> NearTo:
    """The sound of a role that comes closest to a recording; audio: the bytes of its samples, float64.

    Raises InvalidTrack where there is nothing to come near to.
    """
    signal = np.frombuffer(audio, dtype=float)[: round(LONGEST_S * sample_rate)]
    if signal.size < 2 or float(np.max(np.abs(signal))) < SILENT:
        raise InvalidTrack("there is nothing to be heard in this recording; nothing was made")
    left = np.cumsum(signal[::-1] ** 2)[::-1]
    passed = int(np.count_nonzero(left > left[0] * 10 ** (PASSED_DB / 10)))
    signal = signal[: max(passed, round(SHORTEST_S * sample_rate))]
    landing = _settled_hz(signal, sample_rate)
    goal, exact = (sound_of_audio(signal, sample_rate, about_hz=landing, exact=one) for one in (False, True))
    loudness_db = energy_loudness_db(signal, sample_rate=sample_rate)
    search = _Search(role, goal, exact, loudness_db, landing, signal.size, sample_rate, bpm)
    # What is made of a kick has no sound of its own.
    starts = [one for one in STARTS if one.role == role and not one.hit.has_rumble]
    if not starts:
        raise InvalidTrack(f"there is no sound to begin with for a {role}; copy the part into another role first")
    found = sorted((search.begun(one) for one in starts), key=lambda one: one.off)
    follow, done, of = found[:FOLLOWED], [], FOLLOWED * len(STEPS) + 2
    for number, one in enumerate(follow):
        for turn, share in enumerate(STEPS):
            step(number * len(STEPS) + turn, of)
            one = search.nearer(one, share)
        done.append(search.closed(one))
    step(of - 2, of)
    best = min(done, key=search.short)
    # Once more with the bells in place.
    again = search.closed(search.nearer(best, LAST_STEP))
    step(of, of)
    return search.told(min(best, again, key=search.short))


def _settled_hz(signal: Samples, sample_rate: int) -> float | None:
    """Where a recording settles, Hz: its strongest partial once the stroke has passed; None of what has none.

    Where the landing is sure it is looked for there; a short sound settles where it lands.
    """
    found = measure_landing(signal, sample_rate=sample_rate)
    strongest = strongest_hz(signal, sample_rate, found.firm_hz)
    if found.landing_hz is None:
        return strongest if strongest is not None and tonal_share(signal, sample_rate, strongest) > TONAL else None
    return strongest or found.landing_hz


@dataclass(frozen=True)
class _Tried:
    """A hit on the way, what it was made from, how far it is and how far its start was."""

    hit: Hit
    start: str
    off: float
    was_db: float


@dataclass(frozen=True)
class _Search:
    """What is searched for."""

    role: Role
    goal: Sound
    exact: Sound
    loudness_db: float
    landing_hz: float | None
    frames: int
    sample_rate: int
    bpm: float

    def heard(self, hit: Hit, *, exact: bool = False) -> Sound:
        return sound_of_audio(self.audio(hit), self.sample_rate, about_hz=self.landing_hz, exact=exact)

    def audio(self, hit: Hit) -> Samples:
        return render_hit(hit, sample_rate=self.sample_rate, bpm=self.bpm).mono[: self.frames]

    def off(self, hit: Hit) -> float:
        return distance(self.heard(hit), self.goal)

    def begun(self, start: Start) -> _Tried:
        """A start in the recording's pitch."""
        hit = self.in_tune(start.hit.model_copy(update={"kick": None}))
        errors = band_errors(self.heard(hit, exact=True), self.exact)[heard_bands(self.exact)]
        return _Tried(hit, start.name, self.off(hit), _rms(errors))

    def in_tune(self, hit: Hit) -> Hit:
        """A hit that settles where the recording does."""
        for _ in range(TUNED_ROUNDS):
            off = self.off_pitch(hit)
            if off is None or abs(off) < TUNED_CENTS:
                break
            hit = retuned(hit, 2 ** (off / 1200), 1.0)
        return hit

    def off_pitch(self, hit: Hit) -> float | None:
        """How far its settled pitch is over the recording's, cents; None where there is none."""
        if self.landing_hz is None:
            return None
        audio = self.audio(hit)
        anywhere = strongest_hz(audio, self.sample_rate)
        if anywhere is not None and abs(far := cents_between(anywhere, self.landing_hz)) > FAR_CENTS:
            # Too far away it cannot be followed: it is brought about there first.
            return far
        now = strongest_hz(audio, self.sample_rate, self.landing_hz)
        if now is None:
            # Over before it settles, it has the pitch that it lands on.
            now = measure_landing(audio, sample_rate=self.sample_rate).landing_hz
        return None if now is None else cents_between(now, self.landing_hz)

    def nearer(self, tried: _Tried, share: float) -> _Tried:
        """One round of all rulers, each moved where that brings the sound nearer, and on in that direction."""
        hit, best = tried.hit, tried.off
        for layer in range(len(hit.layers)):
            for name in _rulers(hit.layers[layer], tuned=self.landing_hz is not None):
                hit, best = self._along(hit, best, layer, name, share)
        hit = self.in_tune(hit)
        return replace(tried, hit=hit, off=self.off(hit))

    def _along(self, hit: Hit, best: float, layer: int, name: str, share: float) -> tuple[Hit, float]:
        """One ruler moved as long as it brings the sound nearer, to the one side or else to the other."""
        for way in (share, -share):
            begun = hit
            while (moved := _moved(hit, layer, name, way)) is not None and (off := self.off(moved)) < best:
                hit, best = moved, off
            if hit is not begun:
                break
        return hit, best

    def closed(self, tried: _Tried) -> _Tried:
        """Filled where bands are missing, each band brought to its level by bells, in tune."""
        hit = bare = self.filled(tried.hit)
        counted, gains = heard_bands(self.exact), _gains_of(bare)
        best, nearest = bare, np.inf
        for _ in range(BELL_ROUNDS):
            errors = np.where(counted, band_errors(self.heard(hit, exact=True), self.exact), 0.0)
            far = _rms(errors[counted]) + WORST_SHARE * float(np.max(np.abs(errors)))
            if far < nearest:
                best, nearest = hit, far
            if np.max(np.abs(errors)) < CLOSE_DB:
                break
            gains = np.clip(gains - BELL_SHARE * errors, *BELL_ENDS_DB)
            # Where there are more bands than bells the least of them go without.
            gains[np.argsort(-np.abs(gains), kind="stable")[MOST_PROCESSORS:]] = 0
            hit = self.in_tune(bare.model_copy(update=_bells(gains)))
        return replace(tried, hit=best, off=self.off(best))

    def short(self, tried: _Tried) -> float:
        """How far a sound falls short of all that is asked of it: what is over the goal for a band counts more."""
        worst = np.max(np.abs(band_errors(self.heard(tried.hit, exact=True), self.exact)[heard_bands(self.exact)]))
        return tried.off + OVER_SHARE * max(0.0, float(worst) - GOAL_DB)

    def filled(self, hit: Hit) -> Hit:
        """A hit with a band of noise where the recording has something and it has nothing."""
        errors, counted = band_errors(self.heard(hit), self.goal), heard_bands(self.goal)
        missing = np.flatnonzero(counted & (errors < -MISSING_DB))
        if not missing.size or len(hit.layers) >= MAX_LAYERS or any(layer.id == FILL for layer in hit.layers):
            return hit
        low, high = CENTRES_HZ[missing[0]] / 1.12, CENTRES_HZ[missing[-1]] * 1.12
        base = Beater(
            high_pass_hz=min(12000, max(20, round(low, 1))),
            low_pass_hz=min(20000, max(200, round(high, 1))),
            decay_ms=round(float(np.clip(self.goal.fall_ms[missing].mean() * 24 / 60, 1, 400)), 1),
            blip_db=-60,
        )
        best, nearest = hit, self.off(hit)
        for colour in (-6.0, -3.0, 0.0, 3.0):
            for gain_db in range(-48, 7, 6):
                source = base.model_copy(update={"colour_db_per_octave": colour})
                layer = Layer(id=FILL, name="Fill", source=source, gain_db=gain_db)
                made = hit.model_copy(update={"layers": (*hit.layers, layer)})
                off = self.off(made)
                if off < nearest:
                    best, nearest = made, off
        return best

    def told(self, tried: _Tried) -> NearTo:
        """What was found, as loud as any sound of its role, measured."""
        hit = as_loud(tried.hit, LOUDNESS_DB[self.role], sample_rate=self.sample_rate, bpm=self.bpm)
        heard = self.heard(hit, exact=True)
        errors, counted = band_errors(heard, self.exact), heard_bands(self.exact)
        worst = max(np.flatnonzero(counted), key=lambda band: abs(float(errors[band])))
        settled = self.off_pitch(hit)
        return NearTo(
            hit=hit,
            start=tried.start,
            bands_db=_rms(errors[counted]),
            worst_db=float(errors[worst]),
            worst_hz=CENTRES_HZ[worst],
            falls_db=falls_apart(heard, self.exact),
            cents=settled,
            length_ms=heard.whole_fall_ms,
            recorded_ms=self.exact.whole_fall_ms,
            was_db=tried.was_db,
            louder_db=self.loudness_db - energy_loudness_db(self.audio(hit), sample_rate=self.sample_rate),
            path_cents=pitch_apart_cents(heard, self.exact) if settled is not None else None,
        )


def _bells(gains_db: Samples) -> dict[str, object]:
    """A hit's bus with a bell on every band that has a gain, (bands,)."""
    bus = tuple(
        Equalizer(frequency_hz=round(hz, 2), gain_db=round(float(gain), 2), q=BELL_Q)
        for hz, gain in zip(CENTRES_HZ, gains_db, strict=True)
        if abs(gain) >= BELL_LEAST_DB
    )
    return {"bind": bool(bus), "bus": bus}


def _gains_of(hit: Hit) -> Samples:
    """Gains of the bells that are on a hit's bus already, by band, dB, (bands,)."""
    gains = np.zeros(len(CENTRES_HZ))
    for one in hit.bus:
        if isinstance(one, Equalizer):
            gains[int(np.argmin(np.abs(np.log(np.array(CENTRES_HZ) / one.frequency_hz))))] = one.gain_db
    return gains


def _rms(values: Samples) -> float:
    return float(np.sqrt(np.mean(values**2)))


def _rulers(layer: Layer, *, tuned: bool) -> list[str]:
    """Rulers of a layer's engine that may move, and its level; a pitch that was read stays."""
    return [name for name in rulers_of(type(layer.source)) if not (tuned and name == LANDING)] + ["gain_db"]


def _moved(hit: Hit, at: int, name: str, share: float) -> Hit | None:
    """A hit with one ruler moved by a share of its length; None where it stands at its end."""
    layer = hit.layers[at]
    owner = layer if name == "gain_db" else layer.source
    value = float(getattr(owner, name))
    made = along(type(owner), name, value, share)
    if made == value:
        return None
    if owner is layer:
        layer = layer.model_copy(update={name: made})
    else:
        layer = layer.model_copy(update={"source": layer.source.model_copy(update={name: made})})
    return hit.model_copy(update={"layers": (*hit.layers[:at], layer, *hit.layers[at + 1 :])})
