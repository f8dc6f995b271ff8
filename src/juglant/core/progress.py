"""How far long work is: said by whoever does it, told to whoever waits, and lost where nobody does."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TypeVar

T = TypeVar("T")
# Steps that are done, and how many there are.
Tell = Callable[[int, int], None]
_tell: ContextVar[Tell | None] = ContextVar("progress", default=None)


@contextmanager
def told(tell: Tell) -> Iterator[None]:
    """What is done within tells how far it is."""
    token = _tell.set(tell)
    try:
        yield
    finally:
        _tell.reset(token)


def step(done: int, of: int) -> None:
    """So many steps of so many are done."""
    tell = _tell.get()
    if tell is not None:
        tell(done, of)


def steps(items: Iterable[T]) -> Iterator[T]:
    """Each of some things to do, telling how many are done; what is done for one tells nothing of its own."""
    all_of_them = list(items)
    for number, item in enumerate(all_of_them):
        step(number, len(all_of_them))
        token = _tell.set(None)
        try:
            yield item
        finally:
            _tell.reset(token)
