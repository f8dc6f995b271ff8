"""Long work on the page: what runs is shown and stopped, asked for again it is there; an edit is not in its way."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from page import Tab, bench_tab, settled
from playwright.sync_api import TimeoutError as PlaywrightTimeout
from playwright.sync_api import expect
from support import Server


def test_what_runs_is_shown_stopped_and_asked_for_again(server: Server, tabs: Callable[[], Tab], tmp_path: Path) -> None:
    tab = tabs()
    # Stopped work is answered so, and the browser says that in its console.
    tab.expected = ("409",)
    page = tab.open(server.address, "track")
    settled(page)
    steps = page.get_by_role("navigation", name="Steps")
    owners = page.get_by_role("region", name="Owners of the sub")
    running = page.get_by_role("status").filter(has_text="Weighing the owners of the sub")
    stopped = owners.get_by_text("was stopped before it was done")
    # Where it was done before the press came there was nothing to stop: again, at a tempo that nothing is known of.
    for tempo in ("119.5", "121.5", "123.5", "125.5"):
        steps.get_by_role("link", name="Track").click()
        ruler = page.get_by_role("slider", name="Tempo", exact=True)
        ruler.focus()
        page.keyboard.press("Enter")
        page.keyboard.type(tempo)
        page.keyboard.press("Enter")
        settled(page)
        steps.get_by_role("link", name="Separate").click()
        bench_tab(page, "Owners and ways")
        owners.scroll_into_view_if_needed()
        expect(running.or_(owners.get_by_role("table")).first).to_be_visible()
        if running.count():
            with suppress(PlaywrightTimeout):
                running.get_by_role("button", name="Stop").click(timeout=3000)
        expect(stopped.or_(owners.get_by_role("table")).first).to_be_visible()
        if stopped.count():
            break
    expect(stopped).to_be_visible()
    expect(running).to_have_count(0)
    # Stopped stays stopped until it is asked for.
    owners.get_by_role("button", name="Ask again").click()
    expect(owners.get_by_role("row")).to_have_count(5)
    expect(owners).not_to_contain_text("stopped")
    # The files: how far they are is told, and they are whole.
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with page.expect_download() as download:
        page.get_by_role("button", name="Download everything").click()
        expect(page.get_by_role("status").filter(has_text="Preparing")).to_be_visible()
    path = tmp_path / "all.zip"
    download.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        assert archive.testzip() is None
        assert "loop.wav" in archive.namelist()
    expect(page.get_by_role("status").filter(has_text="Preparing")).to_have_count(0)
    assert tab.troubles == []
