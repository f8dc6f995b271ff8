"""What is remembered of audio: one memory for all of it, bounded in bytes; the longest unused goes first."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Hashable
from contextlib import suppress
from dataclasses import fields, is_dataclass
from functools import wraps
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from cachetools.keys import hashkey

MOST_BYTES = 200_000_000
# A sound of a few seconds; a longer one goes into a stem, which is kept.
LONG_BYTES = 4_000_000
# What a result weighs beside its samples.
OVERHEAD_BYTES = 500

P = ParamSpec("P")
R = TypeVar("R")


def bytes_of(value: Any) -> int:
    """How much a result holds on to: the samples in it, however deep, and a little for the rest."""
    if isinstance(value, np.ndarray):
        return OVERHEAD_BYTES + value.nbytes
    if isinstance(value, (bytes, str)):
        return OVERHEAD_BYTES + sys.getsizeof(value)
    if is_dataclass(value) and not isinstance(value, type):
        return OVERHEAD_BYTES + sum(bytes_of(getattr(value, one.name)) for one in fields(value))
    if isinstance(value, dict):
        return OVERHEAD_BYTES + sum(bytes_of(one) for one in value.values())
    if isinstance(value, (list, tuple)):
        # Numbers and small things are no matter one by one.
        return OVERHEAD_BYTES + sum(bytes_of(one) if not isinstance(one, (int, float)) else 32 for one in value)
    return OVERHEAD_BYTES


_memory: LRUCache[Hashable, Any] = LRUCache(MOST_BYTES, getsizeof=bytes_of)
_lock = threading.RLock()
_NOTHING = object()


def remembered(*, largest_bytes: int = MOST_BYTES) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function whose results are kept as long as there is room; its arguments can be hashed.

    largest_bytes: a larger result is not kept, because what is made of it is.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        name = f"{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            key = hashkey(name, *args, **cast("dict[str, Hashable]", kwargs))
            with _lock:
                known = _memory.get(key, _NOTHING)
            if known is not _NOTHING:
                return cast("R", known)
            value = function(*args, **kwargs)
            if bytes_of(value) <= largest_bytes:
                with _lock, suppress(ValueError):
                    _memory[key] = value
            return value

        return asked

    return decorated


def remembered_bytes() -> int:
    """How much is remembered now."""
    with _lock:
        return int(_memory.currsize)


def forget() -> None:
    """Forget all of it."""
    with _lock:
        _memory.clear()
