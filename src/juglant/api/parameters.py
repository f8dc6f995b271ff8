"""The description of every parameter: ranges, units, scales, defaults and help, from the models."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter

from juglant.core.model.track import Track

router = APIRouter(prefix="/api")


@router.get("/parameters")
def parameters() -> dict[str, Any]:
    """JSON Schema of a track, as the rulers on screen read it."""
    return Track.model_json_schema()
