"""By-pass: what is left out and what both sides are turned down by; the stems of a track without it."""

from __future__ import annotations

from pydantic import BaseModel

from juglant.core.listen.bypass import Bypass, Compared, compared, without
from juglant.core.memory import remembered
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.services.views import stem_key, stem_keys, stem_wav


class BypassView(BaseModel):
    """By how much each side is turned down, dB, so that both are equally loud; the stems that play without it.

    matched: False where one side is silent; idle: whether leaving it out changes nothing; of_loop: whether all stems are
    turned down, and not those of its part.
    """

    with_db: float
    without_db: float
    matched: bool
    idle: bool
    of_loop: bool


@remembered()
def _compared(track: Track, left_out: Bypass) -> Compared:
    return compared(track, left_out)


def bypass_view(track: Track, left_out: Bypass) -> tuple[BypassView, list[tuple[StemRef, str]]]:
    """Both sides measured, and every stem of the track without it with its key; raises NoSuchPart."""
    found = _compared(track, left_out)
    gone = left_out.part if left_out.whole else None
    stems = [(ref, key) for ref, key in stem_keys(found.track) if ref.part != gone]
    figures = {name: getattr(found, name) for name in BypassView.model_fields}
    return BypassView(**figures), stems


def bypass_stem_key(track: Track, left_out: Bypass, ref: StemRef) -> str:
    """The key of a stem of the track without it; raises NoSuchPart."""
    return stem_key(without(track, left_out), ref)


def bypass_stem_wav(track: Track, left_out: Bypass, ref: StemRef) -> bytes:
    """That stem as a 32-bit float WAV; raises NoSuchPart."""
    return stem_wav(without(track, left_out), ref)
