"""Decoders that write to the terminal themselves: what they have to say is in what they return."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

# The terminal belongs to the whole process: one decoder at a time is kept from it.
_ONE = threading.Lock()
STDERR = 2


@contextmanager
def quiet_decoder(data: bytes) -> Iterator[None]:
    """Keep a decoder of compressed sound from the terminal while it reads; plain files need none, and do not wait."""
    if data[:4] in (b"RIFF", b"RF64", b"FORM", b"fLaC"):
        yield
        return
    with _ONE:
        sys.stderr.flush()
        try:
            kept = os.dup(STDERR)
        except OSError:
            # There is no terminal.
            yield
            return
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, STDERR)
        try:
            yield
        finally:
            sys.stderr.flush()
            os.dup2(kept, STDERR)
            os.close(nowhere)
            os.close(kept)
