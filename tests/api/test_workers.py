"""Long work in processes of its own: done, refused, stopped, left, killed, and gone when there is none."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Iterator

import pytest

from juglant.core.errors import Abandoned, InvalidTrack, Stopped
from juglant.jobs.workers import Workers, gone

IDLE_S = 0.6


@pytest.fixture
def workers() -> Iterator[Workers]:
    made = Workers("builtins:str", "", most=1, idle_s=IDLE_S)
    yield made
    made.close()


# Whatever ends before this was stopped and did not run out.
LONG_S = 600


def until(true: object, seconds: float = 240) -> None:
    """Wait for something that is to come true, on a busy machine too."""
    end = time.monotonic() + seconds
    while not true():  # type: ignore[operator]
        assert time.monotonic() < end, "it did not come true in time"
        time.sleep(0.02)


def alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    return True


def begun(workers: Workers, seconds: float = LONG_S) -> tuple[threading.Thread, list[BaseException]]:
    """A thread that has something computed which takes long, once it is under way."""
    failed: list[BaseException] = []

    def ask() -> None:
        try:
            workers.run("Sleeping", "time:sleep", (seconds,))
        except Stopped as error:
            failed.append(error)

    thread = threading.Thread(target=ask)
    thread.start()
    until(lambda: any(not job.waits for job in workers.jobs()))
    return thread, failed


def test_work_is_done_in_another_process_which_is_kept_for_the_next(workers: Workers) -> None:
    first = workers.run("Who", "os:getpid", ())
    assert first != os.getpid()
    assert workers.run("Who", "os:getpid", ()) == first
    assert workers.run("Sum", "operator:add", (2, 3)) == 5
    assert workers.jobs() == []
    # With nothing to do it is gone after a while.
    assert workers.pids() == [first]
    until(lambda: not alive(first))
    assert workers.pids() == []
    assert workers.run("Who", "os:getpid", ()) not in (first, os.getpid())


@pytest.mark.parametrize(
    ("function", "arguments", "kind", "says"),
    [
        ("juglant.core.model.track:track_from_json", ("{",), InvalidTrack, "JSON"),
        ("operator:truediv", (1, 0), RuntimeError, "ZeroDivisionError"),
        ("juglant.core.progress:nothing", (), RuntimeError, "nothing"),
        ("os:_exit", (3,), Stopped, "ended before it was done"),
    ],
)
def test_what_goes_wrong_there_is_told_here_and_the_next_is_done(
    function: str, arguments: tuple, kind: type[Exception], says: str, workers: Workers
) -> None:
    with pytest.raises(kind, match=says):
        workers.run("Wrong", function, arguments)
    assert workers.run("Sum", "operator:add", (2, 3)) == 5


def test_how_far_it_is_is_told(workers: Workers) -> None:
    seen = []
    thread, _ = begun(workers, 0.4)
    while thread.is_alive():
        seen += [(job.title, job.done, job.of) for job in workers.jobs()]
        time.sleep(0.02)
    assert set(seen) == {("Sleeping", 0, 0)}
    # A step is told while what told it goes on.
    before = workers.changes
    workers.run("Steps", "juglant.core.progress:step", (1, 3))
    assert workers.changes >= before + 4


def test_what_is_stopped_ends_at_once_and_what_waited_for_it_begins(workers: Workers) -> None:
    thread, failed = begun(workers)
    waiting: list[int] = []
    other = threading.Thread(target=lambda: waiting.append(workers.run("Sum", "operator:add", (2, 3))))
    other.start()
    until(lambda: len(workers.jobs()) == 2)
    one, next_one = workers.jobs()
    assert (one.waits, next_one.waits) == (False, True)
    assert workers.stop(one.id)
    thread.join(LONG_S)
    other.join(LONG_S)
    assert [type(error) for error in failed] == [Stopped]
    assert waiting == [5]
    assert not workers.stop(one.id)


def test_what_waits_can_be_stopped_before_it_begins(workers: Workers) -> None:
    thread, _ = begun(workers)
    failed: list[BaseException] = []

    def ask() -> None:
        try:
            workers.run("Sum", "operator:add", (2, 3))
        except Stopped as error:
            failed.append(error)

    other = threading.Thread(target=ask)
    other.start()
    until(lambda: len(workers.jobs()) == 2)
    workers.stop(workers.jobs()[1].id)
    other.join(LONG_S)
    assert len(failed) == 1
    assert thread.is_alive()
    workers.stop(workers.jobs()[0].id)
    thread.join(LONG_S)


def test_what_nobody_waits_for_any_more_is_stopped(workers: Workers) -> None:
    left, failed = threading.Event(), []

    def ask() -> None:
        gone.set(left)
        try:
            workers.run("Sleeping", "time:sleep", (LONG_S,))
        except Abandoned as error:
            failed.append(error)

    thread = threading.Thread(target=ask)
    thread.start()
    until(lambda: any(not job.waits for job in workers.jobs()))
    left.set()
    thread.join(LONG_S)
    assert len(failed) == 1


def test_all_end_with_the_server(workers: Workers) -> None:
    thread, failed = begun(workers)
    workers.close()
    thread.join(LONG_S)
    assert len(failed) == 1
    assert workers.pids() == []
