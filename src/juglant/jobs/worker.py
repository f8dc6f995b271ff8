"""What runs in a worker process: one piece of work after the other, until nobody is at the other end."""

from __future__ import annotations

import contextlib
import importlib
import multiprocessing
import os
import signal
import threading
from multiprocessing.connection import Connection, wait
from typing import Any

from juglant.core.errors import JuglantError
from juglant.core.memory import RenderStore, handed
from juglant.core.progress import told

# How far work steps back for the server, which answers edits.
NICE = 5


def serve(connection: Connection, prepare: str, place: str, most_bytes: int) -> None:
    """Answer (function, arguments) by ("done", result), ("refused", error) or ("failed", text), each after its steps.

    prepare: `module:name` of what makes this process ready, called with `place`.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    with contextlib.suppress(OSError, AttributeError):
        os.nice(NICE)
    threading.Thread(target=_until_alone, daemon=True).start()
    with handed(RenderStore(most_bytes)):
        named(prepare)(place)
        while True:
            try:
                function, arguments = connection.recv()
            except (EOFError, OSError):
                return
            with told(lambda done, of: connection.send(("step", (done, of)))):
                answer = _answer(function, arguments)
            connection.send(answer)


def _answer(function: str, arguments: tuple[Any, ...]) -> tuple[str, Any]:
    try:
        return "done", named(function)(*arguments)
    except JuglantError as error:
        return "refused", error
    except Exception as error:
        return "failed", repr(error)


def named(name: str) -> Any:
    """What `module:name` names."""
    module, _, wanted = name.partition(":")
    return getattr(importlib.import_module(module), wanted)


def _until_alone() -> None:
    """End this process with the one that began it, whatever it is at."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        wait([parent.sentinel])
        os._exit(1)
