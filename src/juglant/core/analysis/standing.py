"""Where a part stands among the others, measured on the loop: how far away, and how loud beside the kick."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from scipy import fft

from juglant.core.loop.distance import room_band, set_back, weighted_power_db
from juglant.core.loop.kit import cached_kit_stem, kit_description
from juglant.core.loop.render import render_stem
from juglant.core.measure.character import BRIGHT_HZ, QUIETEST_DB
from juglant.core.measure.level import SILENCE_LUFS, loop_loudness
from juglant.core.model.distance import FARTHEST_PCT, Distance
from juglant.core.model.stem import KICK, StemRef
from juglant.core.model.track import Track
from juglant.core.signal.filters import filter_loop
from juglant.core.types import Samples

QUIETEST_POWER = 1e-20


@dataclass(frozen=True)
class Away:
    """How far away a part stands. far_pct: with the part before it that it is kept behind; direct_to_room_db: power of the
    direct sound over its room's in the room's band, None where it is near and has none; the same of both sides' mean, in
    mono; quieter_lu: than it is near; bright_db: energy above 2 kHz, dB re all of it, and what that is near; mono_loss_lu:
    what of its loudness mono loses, 0 for nothing."""

    far_pct: float
    direct_to_room_db: float | None
    mono_direct_to_room_db: float | None
    quieter_lu: float
    bright_db: float
    near_bright_db: float
    mono_loss_lu: float


@dataclass(frozen=True)
class Apart:
    """How far a part and the one it is kept behind are apart, the front one less the other. asked_pct: what is asked, of
    which held_pct are there; drier_db: in direct to room, None where the front one is dry; brighter_db: above 2 kHz, dB re
    all; louder_lu: than near."""

    front: str
    asked_pct: float
    held_pct: float
    drier_db: float | None
    brighter_db: float
    louder_lu: float


def _power(rows: Samples, sections: Samples, sample_rate: int) -> float:
    return max(QUIETEST_POWER, float(np.mean(filter_loop(rows, sections, sample_rate=sample_rate) ** 2)))


def away(track: Track, part: str) -> Away | None:
    """How far away a part of the kit stands; None where nothing of it sounds. Raises NoSuchPart where it is not there."""
    rate, distance = track.sheet.sample_rate, track.distance_of(track.part(part))
    near = np.atleast_2d(cached_kit_stem(kit_description(track.with_part(part, distance=Distance()), part)))
    if not np.any(near):
        return None
    near_bright_db = _bright_db(near, rate)
    if distance.far_pct <= 0:
        lost = _lost_in_mono_lu(near, rate)
        return Away(0.0, None, None, 0.0, near_bright_db, near_bright_db, lost)
    back = set_back(near, distance, sample_rate=rate)
    band = room_band(distance.far_pct, sample_rate=rate)
    ratios = [
        10 * math.log10(_power(direct, band, rate) / max(QUIETEST_POWER, float(np.mean(room**2))))
        for direct, room in ((back.direct, back.room), (_middle(back.direct), _middle(back.room)))
    ]
    heard = back.heard
    return Away(
        far_pct=distance.far_pct,
        direct_to_room_db=ratios[0],
        mono_direct_to_room_db=ratios[1],
        quieter_lu=weighted_power_db(near, sample_rate=rate) - weighted_power_db(heard, sample_rate=rate),
        bright_db=_bright_db(heard, rate),
        near_bright_db=near_bright_db,
        mono_loss_lu=_lost_in_mono_lu(heard, rate),
    )


def _bright_db(rows: Samples, rate: int) -> float:
    frames = rows.shape[-1]
    energy = np.sum(np.abs(fft.rfft(rows, fft.next_fast_len(frames, real=True))) ** 2, axis=0)
    above = fft.rfftfreq(fft.next_fast_len(frames, real=True), 1 / rate) > BRIGHT_HZ
    return max(QUIETEST_DB, 10 * math.log10(max(float(np.sum(energy[above]) / np.sum(energy)), QUIETEST_POWER)))


def _middle(rows: Samples) -> Samples:
    return np.asarray(rows.mean(axis=0, keepdims=True))


def _lost_in_mono_lu(rows: Samples, rate: int) -> float:
    return weighted_power_db(rows, sample_rate=rate) - weighted_power_db(_middle(rows), sample_rate=rate)


def apart(track: Track, part: str) -> Apart | None:
    """How far a part and the one it is kept behind are apart; None where it is behind none, or one does not sound."""
    own = track.part(part).distance
    if own.behind is None:
        return None
    front, back = away(track, own.behind), away(track, part)
    if front is None or back is None:
        return None
    ratios = (front.direct_to_room_db, back.direct_to_room_db)
    return Apart(
        front=own.behind,
        asked_pct=own.far_pct,
        held_pct=min(own.far_pct, FARTHEST_PCT - front.far_pct),
        drier_db=None if ratios[0] is None or ratios[1] is None else ratios[0] - ratios[1],
        brighter_db=front.bright_db - back.bright_db,
        louder_lu=back.quieter_lu - front.quieter_lu,
    )


def _lufs(stem: Samples, rate: int) -> float:
    return loop_loudness(np.broadcast_to(np.atleast_2d(stem), (2, stem.shape[-1])), sample_rate=rate)


def beside_kick_lu(track: Track, part: str) -> float | None:
    """Loudness of a part's stem as heard over the kick's, LU (ITU-R BS.1770-5); None where either is silent.

    Raises NoSuchPart where the part is not there.
    """
    track.part(part)
    rate = track.sheet.sample_rate
    own, kick = (_lufs(render_stem(track, ref), rate) for ref in (StemRef(part), KICK))
    return None if min(own, kick) <= SILENCE_LUFS else own - kick
