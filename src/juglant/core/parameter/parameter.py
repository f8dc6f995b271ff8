"""How a parameter is described, once: range, unit, default, scale and help.

Validation, storage, the API's schema, the TypeScript types and the rulers on screen all come
from these descriptions.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from juglant.core.errors import InvalidTrack

Scale = Literal["linear", "log"]


class Description(BaseModel):
    """A frozen, strict piece of a track's description: unknown keys and NaN are refused."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy with some fields changed, which is checked like any other: raises InvalidTrack for what it may not be.

        What is within the fields is checked already, and is not checked again.
        """
        if not update or deep:
            return super().model_copy(update=update, deep=deep)
        try:
            return type(self).model_validate({**self.__dict__, **update})
        except ValidationError as error:
            raise InvalidTrack(_said(type(self), error)) from None

    def unchecked(self, **changes: object) -> Self:
        """The same, on its way to being heard and never stored: where a stroke falls with its swing, the kick as a hit."""
        return super().model_copy(update=changes)


def _said(kind: type[BaseModel], error: ValidationError) -> str:
    first = error.errors(include_url=False)[0]
    place = ".".join(str(part) for part in first["loc"])
    return f"{kind.__name__}.{place}: {first['msg']}"


def parameter(
    default: float,
    low: float,
    high: float,
    unit: str,
    help_text: str,
    *,
    title: str,
    scale: Scale = "linear",
    step: float,
    musical: tuple[float, float] | None = None,
    words: dict[float, str] | None = None,
) -> Any:
    """A numeric field with its unit, range, scale and the step of one arrow key.

    musical: the part of the range that variations stay in; without it the ruler less a tenth at either end. words: what
    values of a ruler without a unit are called.
    """
    extra: dict[str, Any] = {"unit": unit, "scale": scale, "step": step}
    if musical is not None:
        extra["musical"] = list(musical)
    if words is not None:
        extra["words"] = [[value, word] for value, word in sorted(words.items())]
    return Field(
        default=default,
        ge=low,
        le=high,
        title=title,
        description=help_text,
        json_schema_extra=extra,
    )
