"""What is remembered of audio: one memory for all of it, bounded in bytes; the longest unused goes first."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Hashable, MutableMapping
from concurrent.futures import Future
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
# What is being computed just now, by key: who asks for the same waits for it.
_under_way: dict[Hashable, Future[Any]] = {}
_NOTHING = object()
_newest: list[LRUCache[Hashable, Any]] = []
# How often all was forgotten.
_forgotten = [0]


def _asked_of(memory: MutableMapping[Hashable, Any], key: Hashable, compute: Callable[[], R], most: int | None) -> R:
    """What is known by a key, else computed: once, however many ask for it at the same time."""
    with _lock:
        known = memory.get(key, _NOTHING)
        if known is not _NOTHING:
            return cast("R", known)
        going = _under_way.get(key)
        if going is None:
            mine: Future[Any] = Future()
            _under_way[key] = mine
        began = _forgotten[0]
    if going is not None:
        return cast("R", going.result())
    try:
        value = compute()
    except BaseException as error:
        # Whoever waits is told the same; the next one tries again.
        _done(key, mine)
        mine.set_exception(error)
        raise
    with _lock:
        # What was begun before all was forgotten may be made of what was wrong then.
        if began == _forgotten[0] and (most is None or bytes_of(value) <= most):
            with suppress(ValueError):
                memory[key] = value
    _done(key, mine)
    mine.set_result(value)
    return value


def _done(key: Hashable, one: Future[Any]) -> None:
    with _lock:
        if _under_way.get(key) is one:
            del _under_way[key]


def remembered(*, largest_bytes: int = MOST_BYTES) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function whose results are kept as long as there is room; its arguments can be hashed.

    largest_bytes: a larger result is not kept, because what is made of it is.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        name = f"{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            key = hashkey(name, *args, **cast("dict[str, Hashable]", kwargs))
            return _asked_of(_memory, key, lambda: function(*args, **kwargs), largest_bytes)

        return asked

    return decorated


def newest(count: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function whose newest results are kept, so many of them: for what is small but takes long.

    Who asks while it is computed waits for that.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        name = f"{function.__module__}.{function.__qualname__}"
        kept: LRUCache[Hashable, Any] = LRUCache(count)
        _newest.append(kept)

        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            key = hashkey(name, *args, **cast("dict[str, Hashable]", kwargs))
            return _asked_of(kept, key, lambda: function(*args, **kwargs), None)

        return asked

    return decorated


def remembered_bytes() -> int:
    """How much is remembered now."""
    with _lock:
        return int(_memory.currsize)


def forget() -> None:
    """Forget all of it."""
    with _lock:
        for memory in (_memory, *_newest):
            memory.clear()
        # Nobody joins what was begun before.
        _under_way.clear()
        _forgotten[0] += 1
