"""How soon an edit is answered, and what equal questions at the same time cost."""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from statistics import median

from bench.line import Line

EDITS, ASKED_AT_ONCE = 40, 8


def edit_lines() -> list[Line]:
    """Level steps of the demo stored and answered, steps back and forward, and eight equal views at once."""
    from juglant.api.tracks import answer
    from juglant.core.memory import forget
    from juglant.services.tracks import Workspace, starting_track
    from juglant.services.views import view_of

    with tempfile.TemporaryDirectory() as folder:
        store = Workspace(Path(folder) / "bench.sqlite3")
        store.prepare()
        state = store.create(starting_track("demo"), label="Begun")
        edits, moves = [], []
        for step in range(EDITS):
            began = time.perf_counter()
            made = state.track.with_part("bass", gain_db=-10 - 0.1 * step)
            state = store.edit(state.id, state.edition, made, label="Level", gesture=f"{step}")
            answer(state).model_dump_json()
            edits.append(1000 * (time.perf_counter() - began))
        for move in [store.undo] * 10 + [store.redo] * 10:
            began = time.perf_counter()
            state = move(state.id, state.edition)
            answer(state).model_dump_json()
            moves.append(1000 * (time.perf_counter() - began))
        track = state.track
    view_of(track)
    forget()
    began = time.perf_counter()
    view_of(track)
    alone = time.perf_counter() - began
    forget()
    began = time.perf_counter()
    with ThreadPoolExecutor(ASKED_AT_ONCE) as pool:
        list(pool.map(view_of, [track] * ASKED_AT_ONCE))
    together = time.perf_counter() - began
    return [
        Line("an edit of the demo stored and answered", median(edits), "ms", 40),
        Line("one step back or forward", median(moves), "ms", 40),
        Line("eight equal views at once, over one alone", together / alone, "x", 1.5),
    ]
