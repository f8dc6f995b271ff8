"""Writes the API's schema to a file, or checks that a file has it (`--check`): the front end's types come from it."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from juglant.api.app import make_api
from juglant.api.settings import Settings


def schema_text() -> str:
    """The schema as stable text."""
    with tempfile.TemporaryDirectory() as folder:
        app = make_api(Settings(Path(folder) / "schema.sqlite3", page=None))
        return json.dumps(app.openapi(), indent=1, sort_keys=True) + "\n"


def main(arguments: list[str]) -> int:
    """Write, or with --check compare; 1 where they differ."""
    path, text = Path(arguments[-1]), schema_text()
    if arguments[0] != "--check":
        path.write_text(text)
        return 0
    if path.is_file() and path.read_text() == text:
        return 0
    sys.stderr.write(f"{path} is not the API's schema; run 'python -m juglant.api.schema {path}' and 'npm run types'.\n")
    return 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
