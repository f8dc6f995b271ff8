"""What is remembered of audio: one store for all of it, bounded in bytes; the longest unused goes first.

A store belongs to whoever makes it, an application or a worker, and is handed down with the context of a call: two
applications in one process share nothing. Where none was handed down, as in a script, there is one for the process.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Hashable, Iterator, MutableMapping
from concurrent.futures import Future
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from dataclasses import fields, is_dataclass
from functools import wraps
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np
from cachetools import LRUCache
from cachetools.keys import hashkey

from juglant.core.errors import Abandoned

MOST_BYTES = 140_000_000
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


_NOTHING = object()
# Has something computed in another process: what it is called on the page, `module:name` of the function, its arguments.
Runner = Callable[[str, str, tuple[Any, ...]], Any]


class RenderStore:
    """Results by what they were made of, bounded in bytes, each computed once for all who ask at the same time."""

    def __init__(self, most_bytes: int = MOST_BYTES, runner: Runner | None = None) -> None:
        self.runner = runner
        self._memory: LRUCache[Hashable, Any] = LRUCache(most_bytes, getsizeof=bytes_of)
        self._newest: dict[str, LRUCache[Hashable, Any]] = {}
        # What is being computed just now, by key: who asks for the same waits for it.
        self._under_way: dict[Hashable, Future[Any]] = {}
        self._own: dict[Any, Any] = {}
        self._lock = threading.RLock()
        # How often all was forgotten.
        self._forgotten = 0

    def own(self, kind: Callable[[], R]) -> R:
        """What goes with this store beside its results, one of a kind: made when it is first asked for."""
        with self._lock:
            if kind not in self._own:
                self._own[kind] = kind()
            return cast("R", self._own[kind])

    def asked(self, key: Hashable, compute: Callable[[], R], most_bytes: int) -> R:
        """What is known by a key, else computed, and kept where it is no larger than this."""
        return self._asked_of(self._memory, key, compute, most_bytes)

    def asked_newest(self, name: str, count: int, key: Hashable, compute: Callable[[], R]) -> R:
        """What is known by a key among the newest results of a name, else computed."""
        with self._lock:
            kept = self._newest.setdefault(name, LRUCache(count))
        return self._asked_of(kept, key, compute, None)

    def _asked_of(
        self, memory: MutableMapping[Hashable, Any], key: Hashable, compute: Callable[[], R], most: int | None
    ) -> R:
        with self._lock:
            known = memory.get(key, _NOTHING)
            if known is not _NOTHING:
                return cast("R", known)
            going = self._under_way.get(key)
            if going is None:
                mine: Future[Any] = Future()
                self._under_way[key] = mine
            began = self._forgotten
        if going is not None:
            try:
                return cast("R", going.result())
            except Abandoned:
                # Whoever had it computed has gone.
                return self._asked_of(memory, key, compute, most)
        try:
            value = compute()
        except BaseException as error:
            # Whoever waits is told the same; the next one tries again.
            self._done(key, mine)
            mine.set_exception(error)
            raise
        with self._lock:
            # What was begun before all was forgotten may be made of what was wrong then.
            if began == self._forgotten and (most is None or bytes_of(value) <= most):
                with suppress(ValueError):
                    memory[key] = value
        self._done(key, mine)
        mine.set_result(value)
        return value

    def _done(self, key: Hashable, one: Future[Any]) -> None:
        with self._lock:
            if self._under_way.get(key) is one:
                del self._under_way[key]

    def remembered_bytes(self) -> int:
        """How much is remembered now."""
        with self._lock:
            return int(self._memory.currsize)

    def forget(self) -> None:
        """Forget all results."""
        with self._lock:
            for memory in (self._memory, *self._newest.values()):
                memory.clear()
            # Nobody joins what was begun before.
            self._under_way.clear()
            self._forgotten += 1


_of_the_process = RenderStore()
_handed: ContextVar[RenderStore] = ContextVar("render store", default=_of_the_process)


def store_now() -> RenderStore:
    """The store that was handed down; else that of the process."""
    return _handed.get()


@contextmanager
def handed(store: RenderStore) -> Iterator[RenderStore]:
    """Everything that is asked within uses this store, in threads too that take the context along."""
    token = _handed.set(store)
    try:
        yield store
    finally:
        _handed.reset(token)


def remembered(*, largest_bytes: int = MOST_BYTES) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function whose results are kept as long as there is room; its arguments can be hashed.

    largest_bytes: a larger result is not kept, because what is made of it is.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        name = f"{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            key = hashkey(name, *args, **cast("dict[str, Hashable]", kwargs))
            return store_now().asked(key, lambda: function(*args, **kwargs), largest_bytes)

        return asked

    return decorated


def newest(count: int) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function whose newest results are kept, so many of them: for what is small but takes long.

    Who asks while it is computed waits for that.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        name = f"{function.__module__}.{function.__qualname__}"

        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            key = hashkey(name, *args, **cast("dict[str, Hashable]", kwargs))
            return store_now().asked_newest(name, count, key, lambda: function(*args, **kwargs))

        return asked

    return decorated


def elsewhere(title: Callable[P, str]) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A pure function at the top of its module that takes seconds: computed by the store's runner where there is one.

    title: what it is called while it is computed, by the same arguments.
    """

    def decorated(function: Callable[P, R]) -> Callable[P, R]:
        @wraps(function)
        def asked(*args: P.args, **kwargs: P.kwargs) -> R:
            runner = store_now().runner
            if runner is None:
                return function(*args, **kwargs)
            # By its name: what is found there remembers what it computes, in the other process too.
            name = f"{function.__module__}:{function.__qualname__}"
            return cast("R", runner(title(*args, **kwargs), name, args))

        return asked

    return decorated


def remembered_bytes() -> int:
    """How much is remembered now."""
    return store_now().remembered_bytes()


def forget() -> None:
    """Forget all of it."""
    store_now().forget()
