"""Reading a model's parameters: their limits and scale, and a value's place on its ruler."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from pydantic import BaseModel


@dataclass(frozen=True)
class Limits:
    """Ends and scale of a numeric parameter."""

    low: float
    high: float
    log: bool
    unit: str

    @property
    def ends(self) -> tuple[float, float]:
        """Lowest and highest value."""
        return self.low, self.high


@lru_cache(maxsize=512)
def limits_of(model: type[BaseModel], name: str) -> Limits | None:
    """The limits a parameter declares, None where it is no ruler."""
    field = model.model_fields.get(name)
    extra = None if field is None else field.json_schema_extra
    if field is None or not isinstance(extra, dict) or "scale" not in extra:
        return None
    bounds: dict[str, Any] = {key: getattr(one, key) for one in field.metadata for key in ("ge", "le") if hasattr(one, key)}
    return Limits(float(bounds["ge"]), float(bounds["le"]), extra["scale"] == "log", str(extra.get("unit", "")))


def place_of(value: float, limits: Limits) -> float:
    """Where a value lies on its ruler, 0 to 1."""
    if limits.log:
        return math.log(max(value, limits.low) / limits.low) / math.log(limits.high / limits.low)
    return (value - limits.low) / (limits.high - limits.low)


def value_at(place: float, limits: Limits) -> float:
    """The value at a place of the ruler, kept inside its ends, to six digits."""
    place = min(1.0, max(0.0, place))
    value = (
        limits.low * (limits.high / limits.low) ** place if limits.log else limits.low + place * (limits.high - limits.low)
    )
    return min(limits.high, max(limits.low, float(f"{value:.6g}")))


def within(model: type[BaseModel], name: str, value: float) -> float:
    """A value moved inside the ends of a parameter's ruler, to two decimals; raises ValueError where it is no ruler."""
    limits = limits_of(model, name)
    if limits is None:
        raise ValueError(f"{model.__name__}.{name} is no ruler")
    return round(min(limits.high, max(limits.low, value)), 2)


def inside(value: float, ends: tuple[float, float]) -> float:
    """A value moved inside two ends."""
    return min(ends[1], max(ends[0], value))


def along(model: type[BaseModel], name: str, value: float, share: float) -> float:
    """A value moved by a share of its ruler's length, inside its musical range widened to where it stands.

    Raises ValueError where it is no ruler.
    """
    low, high = musical_of(model, name)
    limits = limits_of(model, name)
    assert limits is not None  # noqa: S101 - musical_of has just asked
    return float(inside(value_at(place_of(value, limits) + share, limits), (min(low, value), max(high, value))))


@lru_cache(maxsize=512)
def musical_of(model: type[BaseModel], name: str) -> tuple[float, float]:
    """The range a parameter declares as musical, else the whole of its ruler less a tenth at either end."""
    limits = limits_of(model, name)
    if limits is None:
        raise ValueError(f"{model.__name__}.{name} is no ruler")
    extra = model.model_fields[name].json_schema_extra
    declared = extra.get("musical") if isinstance(extra, dict) else None
    if isinstance(declared, (list, tuple)):
        low, high = declared
        return float(low), float(high)  # type: ignore[arg-type]
    return value_at(0.1, limits), value_at(0.9, limits)
