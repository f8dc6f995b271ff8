"""A real page on a real server, in Debian's Chromium; console errors and failed requests fail the test."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator

import pytest
from page import Tab
from playwright.sync_api import Browser, BrowserContext, expect, sync_playwright
from support import Server

from juglant.core.model.track import Track

CHROMIUM = ("chromium", "chromium-browser", "google-chrome")
FLAGS = [
    "--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--no-first-run", "--autoplay-policy=no-user-gesture-required",
]  # fmt: skip
# A page that hangs, not one on a busy machine: work of seconds steps back for the server and takes minutes beside others'.
PATIENCE_MS = 240_000
expect.set_options(timeout=PATIENCE_MS)


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    path = next((found for name in CHROMIUM if (found := shutil.which(name))), None)
    assert path is not None, "the browser tests need Chromium; './juglant test' installs it on Debian"
    with sync_playwright() as playwright:
        yield playwright.chromium.launch(executable_path=path, args=FLAGS)


@pytest.fixture
def context(browser: Browser) -> Iterator[BrowserContext]:
    made = browser.new_context(viewport={"width": 1280, "height": 800}, accept_downloads=True)
    made.set_default_timeout(PATIENCE_MS)
    yield made
    made.close()


@pytest.fixture
def tabs(context: BrowserContext) -> Iterator[Callable[[], Tab]]:
    made: list[Tab] = []

    def make() -> Tab:
        made.append(Tab(context.new_page()))
        return made[-1]

    yield make
    for tab in made:
        tab.close()
    assert [trouble for tab in made for trouble in tab.troubles] == []


@pytest.fixture
def server(one_server: Server, solved: Track) -> Server:
    """The shared server on a demo track of this test's own."""
    one_server.load(solved)
    return one_server


@pytest.fixture
def own_server(make_server: Callable[[], Server]) -> Server:
    found = make_server()
    found.start()
    return found
