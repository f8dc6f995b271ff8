"""What the application is made with."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from platformdirs import user_data_path

DATABASE_NAME = "juglant.sqlite3"
BUILT_PAGE = Path(__file__).resolve().parents[3] / "web" / "dist"


@dataclass(frozen=True)
class Settings:
    """Where the data is, where the built page is, the names this server answers to, and how much it remembers.

    workers: processes for long work at most; 0: it is done by the thread that answers.
    """

    database: Path
    page: Path | None = BUILT_PAGE
    port: int | None = None
    remembered_bytes: int | None = None
    workers: int = 0


def default_database(*, demo: bool) -> Path:
    """The file in the platform's data folder; the demo has one of its own."""
    folder = user_data_path("juglant", appauthor=False)
    return folder / ("demo" if demo else "tracks") / DATABASE_NAME
