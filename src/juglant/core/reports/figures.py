"""What every piece of the report is."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Figures(BaseModel):
    """A piece of the report."""

    model_config = ConfigDict(frozen=True)
