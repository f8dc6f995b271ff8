"""Worker processes of an application: begun when there is work, gone when there has been none for a while."""

from __future__ import annotations

import itertools
import multiprocessing
import threading
import time
from contextlib import suppress
from contextvars import ContextVar
from dataclasses import dataclass, field
from multiprocessing.connection import Connection
from multiprocessing.context import BaseContext
from multiprocessing.process import BaseProcess
from typing import Any, cast

from juglant.core.errors import Abandoned, JuglantError, Stopped
from juglant.jobs.worker import serve

# What a worker remembers beside the memory of what it computes with.
WORKER_BYTES = 64_000_000
IDLE_S = 30.0
# How often it is looked whether work is to be stopped.
LOOK_S = 0.1
# Imported once by the process that workers are copies of.
PRELOADED = ["juglant.core.plans.proposals", "juglant.core.reports.swap_check", "juglant.jobs.worker", "scipy.signal"]

# Set once whoever asked, in this context, waits no more.
gone: ContextVar[threading.Event | None] = ContextVar("gone", default=None)


@dataclass
class Job:
    """One piece of work: what it is called, how far it is, and whether it is to be stopped."""

    id: int
    title: str
    done: int = 0
    of: int = 0
    waits: bool = True
    stopped: threading.Event = field(default_factory=threading.Event)


@dataclass
class _Worker:
    process: BaseProcess
    connection: Connection
    idle_since: float = 0.0


class Workers:
    """At most so many processes, each with one piece of work at a time; who asks for more waits."""

    def __init__(self, prepare: str, place: str, *, most: int = 1, idle_s: float = IDLE_S) -> None:
        self._prepare, self._place, self._idle_s = prepare, place, idle_s
        self._room = threading.Semaphore(most)
        self._idle: list[_Worker] = []
        self._jobs: dict[int, Job] = {}
        self._numbers = itertools.count(1)
        # Taken again by a signal that comes while it is held.
        self._lock = threading.RLock()
        self._closed = False
        # How often anything about the jobs has changed.
        self.changes = 0

    def jobs(self) -> list[Job]:
        """What runs or waits, in the order it was asked for."""
        with self._lock:
            return list(self._jobs.values())

    def pids(self) -> list[int]:
        """The processes that have nothing to do just now."""
        with self._lock:
            return [one.process.pid for one in self._idle if one.process.pid]

    def stop(self, job_id: int) -> bool:
        """Stop a piece of work; whether there was such."""
        with self._lock:
            job = self._jobs.get(job_id)
        if job is not None:
            job.stopped.set()
        return job is not None

    def run(self, title: str, function: str, arguments: tuple[Any, ...]) -> Any:
        """What `module:name` gives for some arguments, computed in a worker; raises what it raises, or Stopped."""
        job, left = Job(next(self._numbers), title), gone.get()
        with self._lock:
            self._jobs[job.id] = job
        self._changed()
        try:
            while not self._room.acquire(timeout=LOOK_S):
                _raise_if_over(job, left)
            try:
                return self._worked(job, left, function, arguments)
            finally:
                self._room.release()
        finally:
            with self._lock:
                del self._jobs[job.id]
            self._changed()

    def _worked(self, job: Job, left: threading.Event | None, function: str, arguments: tuple[Any, ...]) -> Any:
        _raise_if_over(job, left)
        worker, known = self._taken(), False
        job.waits = False
        self._changed()
        try:
            worker.connection.send((function, arguments))
            while True:
                while not worker.connection.poll(LOOK_S):
                    _raise_if_over(job, left)
                kind, value = worker.connection.recv()
                if kind == "step":
                    job.done, job.of = value
                    self._changed()
                    continue
                known = True
                break
        except (EOFError, OSError):
            raise Stopped("what was being computed ended before it was done; ask for it again") from None
        finally:
            # What is still at it cannot be asked to stop: its process is ended.
            self._give_back(worker) if known else _end(worker)
        if kind == "refused":
            raise cast("JuglantError", value)
        if kind == "failed":
            raise RuntimeError(value)
        return value

    def _taken(self) -> _Worker:
        with self._lock:
            while self._idle:
                worker = self._idle.pop()
                if worker.process.is_alive():
                    return worker
                _end(worker)
        context = _context()
        here, there = context.Pipe()
        what = (there, self._prepare, self._place, WORKER_BYTES)
        process = cast("Any", context).Process(target=serve, args=what, daemon=True, name="juglant work")
        process.start()
        there.close()
        return _Worker(process, here)

    def _give_back(self, worker: _Worker) -> None:
        worker.idle_since = time.monotonic()
        with self._lock:
            if not self._closed:
                self._idle.append(worker)
                timer = threading.Timer(self._idle_s, self._let_go)
                timer.daemon = True
                timer.start()
                return
        _end(worker)

    def _let_go(self) -> None:
        """End those that have had nothing to do for long."""
        with self._lock:
            over = [one for one in self._idle if time.monotonic() - one.idle_since >= self._idle_s - LOOK_S]
            self._idle = [one for one in self._idle if one not in over]
        for one in over:
            _end(one)

    def close(self) -> None:
        """End them all; what runs is stopped."""
        with self._lock:
            self._closed, idle, jobs = True, self._idle, list(self._jobs.values())
            self._idle = []
        for job in jobs:
            job.stopped.set()
        for one in idle:
            _end(one)

    def _changed(self) -> None:
        with self._lock:
            self.changes += 1


def _raise_if_over(job: Job, left: threading.Event | None) -> None:
    if job.stopped.is_set():
        raise Stopped("this was stopped before it was done; ask for it again")
    if left is not None and left.is_set():
        raise Abandoned("nobody waits for this any more")


def _end(worker: _Worker) -> None:
    worker.connection.close()
    worker.process.kill()
    with suppress(AssertionError, ValueError):
        worker.process.join(1)


_begun = threading.Lock()


def _context() -> BaseContext:
    """Where the system can: copies of a process that has imported everything; else processes of their own."""
    if "forkserver" not in multiprocessing.get_all_start_methods():
        return multiprocessing.get_context("spawn")
    with _begun:
        context = multiprocessing.get_context("forkserver")
        context.set_forkserver_preload(PRELOADED)
        return context
