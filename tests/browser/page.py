"""A tab that notes what goes wrong in it, and what a test hears and downloads there."""

from __future__ import annotations

import base64
import io
import re
import time
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Locator, Page, Request, expect

# What was sent is answered by then, or never.
ANSWERED_S = 60.0


class Tab:
    """One tab, and what went wrong in it."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.troubles: list[str] = []
        self.expected: tuple[str, ...] = ()
        page.on(
            "console", lambda message: self._note(message.type == "error", f"{message.text} {message.location.get('url')}")
        )
        page.on("pageerror", lambda error: self._note(True, str(error)))
        # An aborted request was given up by the page itself, for a newer one.
        page.on("requestfailed", lambda r: self._note(r.failure != "net::ERR_ABORTED", f"{r.url} {r.failure}"))
        # What is on its way to the store.
        self.changing: list[Request] = []
        page.on("request", lambda r: self._sent(r, r.method == "POST"))
        for ended in ("requestfinished", "requestfailed"):
            page.on(ended, lambda r: self._sent(r, False))  # type: ignore[call-overload]

    def _note(self, bad: bool, text: str) -> None:
        if bad and not any(part in text for part in self.expected):
            self.troubles.append(text)

    def _sent(self, request: Request, waits: bool) -> None:
        self.changing = [one for one in self.changing if one != request] + ([request] if waits else [])

    def close(self) -> None:
        """Once what it has sent is answered: the server's next track is not touched by it any more."""
        deadline = time.monotonic() + ANSWERED_S
        while self.changing and not self.page.is_closed() and time.monotonic() < deadline:
            self.page.wait_for_timeout(20)
        self.page.close()

    def open(self, address: str, step: str = "") -> Page:
        self.page.goto(f"{address}{step}")
        expect(self.page.get_by_role("img", name="Low end")).to_be_visible()
        return self.page


RECORD = """(seconds) => new Promise((begun) => {
  window.juglantHeard = window.juglantPlayer.record(seconds, begun).then((r) => {
  const coded = (side) => {
    const bytes = new Uint8Array(side.buffer);
    let text = "";
    for (let i = 0; i < bytes.length; i += 8192) text += String.fromCharCode(...bytes.subarray(i, i + 8192));
    return btoa(text);
  };
  return { rate: r.sampleRate, sides: r.sides.map(coded) };
}); })"""
# Longer than the loop takes to fade in, and than a change takes to be heard in full: by the sound's own clock.
FADED_IN_S, TAKEN_OVER_S = 0.7, 0.2


def listen(page: Page, seconds: float) -> None:
    """Start to take down what goes to the loudspeaker, also before anything plays; it has begun when this returns."""
    page.evaluate(RECORD, seconds)


def both_taken_down(page: Page) -> tuple[np.ndarray, int]:
    """What was heard since `listen` on both sides, (2, frames), when it is all there, and the rate."""
    found = page.evaluate("window.juglantHeard")
    sides = [np.frombuffer(base64.b64decode(side), dtype="<f4").astype(float) for side in found["sides"]]
    return np.stack(sides), found["rate"]


def taken_down(page: Page) -> tuple[np.ndarray, int]:
    """The middle of what was heard since `listen`, (frames,), when it is all there, and the rate."""
    sides, rate = both_taken_down(page)
    return sides.mean(axis=0), rate


def heard(page: Page, seconds: float) -> tuple[np.ndarray, int]:
    """The next seconds of what goes to the loudspeaker, and the rate."""
    listen(page, seconds)
    return taken_down(page)


def settled(page: Page) -> None:
    """Everything stored and measured: the page says so by not being busy."""
    expect(page.locator("main[aria-busy=false]")).to_be_visible()
    expect(page.locator(".spring")).to_have_text("")


def bench_tab(page: Page, name: str) -> None:
    """A tab of the bench, where it is not the one that is open."""
    tab = page.get_by_role("tablist", name="What is on the bench").get_by_role("tab", name=name)
    tab.click()
    expect(tab).to_have_attribute("aria-selected", "true")


def at_length(finding: Locator) -> Locator:
    """A finding opened: why, all of its fixes, and whether it is intended."""
    finding.get_by_role("button", name=re.compile("^More about")).click()
    return finding


def new_track(page: Page, name: str = "") -> None:
    """A new track out of the menu at the name of the one that is open."""
    page.get_by_role("banner").get_by_role("button", name=re.compile("all tracks$")).click()
    form = page.get_by_role("form", name="New track")
    if name:
        form.get_by_label("Name").fill(name)
    form.get_by_role("button", name="New track").click()
    expect(page.get_by_role("banner").get_by_role("button", name=f"{name or 'Untitled'}: all tracks")).to_be_visible()


def downloaded(page: Page, button: str, folder: Path) -> Path:
    # The whole bundle takes seconds, and more while the page asks for something else.
    with page.expect_download() as waiting:
        page.get_by_role("link", name=button).or_(page.get_by_role("button", name=button)).click()
    path = folder / waiting.value.suggested_filename
    waiting.value.save_as(path)
    return path


def samples_of(data: bytes) -> np.ndarray:
    audio, _ = soundfile.read(io.BytesIO(data), always_2d=False)
    return np.asarray(audio)
