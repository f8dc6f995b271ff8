"""Changes to a curve that answer what it does wrong; of a compressor in its place, to its settings."""

from __future__ import annotations

from juglant.core.duck.curve import ends_s, starts_s
from juglant.core.duck.shaped import LEAST_RETURN_MS as SHORTEST_RETURN_MS
from juglant.core.model.duck import CurvePoint, Duck, KeyedCompressor
from juglant.core.parameter.fields import within

FALL_STEP_MS, SLOWER, MOST_RELEASES = 4.0, 1.5, 3.0


def _compressor(duck: Duck, **changes: float | str) -> Duck:
    moved = {
        name: within(KeyedCompressor, name, value) if isinstance(value, float) else value for name, value in changes.items()
    }
    return duck.model_copy(update={"compressor": duck.compressor.model_copy(update=moved)})


def _drawn(duck: Duck, places: dict[int, float]) -> Duck:
    """Drawn points at other times, by their index."""
    points = [
        one.model_copy(update={"at_ms": within(CurvePoint, "at_ms", places.get(i, one.at_ms))})
        for i, one in enumerate(duck.drawn)
    ]
    return duck.model_copy(update={"drawn": tuple(points)})


def back_within(duck: Duck, room_ms: float) -> tuple[str, Duck]:
    """The curve back to full level within a time after the key hit; the hold gives way first."""
    if duck.drive == "compressor":
        release = within(KeyedCompressor, "release_ms", min(duck.compressor.release_ms, room_ms / MOST_RELEASES))
        return f"Release in {release:.0f} ms", _compressor(duck, release_ms=release)
    if duck.drawn:
        share = max(room_ms, SHORTEST_RETURN_MS) / max(1e-3, 1000 * ends_s(duck))
        later = {i: one.at_ms * min(1.0, share) for i, one in enumerate(duck.drawn) if one.at_ms > 0}
        return f"Be back after {room_ms:.0f} ms", _drawn(duck, later)
    hold = max(0.0, min(duck.hold_ms, room_ms - SHORTEST_RETURN_MS))
    back = within(Duck, "return_ms", max(SHORTEST_RETURN_MS, round(room_ms - hold - 0.1, 1)))
    return f"Return in {back:.0f} ms", duck.model_copy(update={"hold_ms": round(hold, 1), "return_ms": back})


def slower_fall(duck: Duck) -> tuple[str, Duck]:
    """The curve that takes longer to go down, beginning as much earlier."""
    if duck.drive == "compressor":
        attack = within(KeyedCompressor, "attack_ms", duck.compressor.attack_ms * SLOWER)
        return f"Attack in {attack:.1f} ms", _compressor(duck, attack_ms=attack)
    if duck.drawn:
        first = within(CurvePoint, "at_ms", 1000 * starts_s(duck) - FALL_STEP_MS)
        return f"Begin {FALL_STEP_MS:.0f} ms earlier", _drawn(duck, {0: first})
    fall = within(Duck, "fall_ms", duck.fall_ms + FALL_STEP_MS)
    ahead = within(Duck, "lookahead_ms", duck.lookahead_ms + fall - duck.fall_ms)
    return f"Fall in {fall:.0f} ms", duck.model_copy(update={"fall_ms": fall, "lookahead_ms": ahead})


def slower_return(duck: Duck) -> tuple[str, Duck]:
    """The curve that takes longer to come back."""
    if duck.drive == "compressor":
        release = within(KeyedCompressor, "release_ms", duck.compressor.release_ms * SLOWER)
        return f"Release in {release:.0f} ms", _compressor(duck, release_ms=release)
    if duck.drawn:
        last = duck.drawn[-1].at_ms
        later = within(CurvePoint, "at_ms", last + (SLOWER - 1) * max(SHORTEST_RETURN_MS, last - duck.drawn[-2].at_ms))
        return f"Return until {later:.0f} ms", _drawn(duck, {len(duck.drawn) - 1: later})
    longer = within(Duck, "return_ms", round(duck.return_ms * SLOWER, 1))
    return f"Return in {longer:.0f} ms", duck.model_copy(update={"return_ms": longer})


def without_make_up(duck: Duck) -> Duck:
    """The same without make-up gain."""
    return _compressor(duck, make_up="off")
