"""Edit to sound, measured in the browser: a value changed in the page until its audio is scheduled."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import sys
import tempfile
import time

from playwright.sync_api import sync_playwright

EDITS = 15
CHROMIUM = ("chromium", "chromium-browser", "google-chrome")
SCHEDULED = "performance.getEntriesByName('juglant-scheduled').length"
LATENCY = (
    "performance.getEntriesByName('juglant-scheduled')[0].startTime"
    " - performance.getEntriesByName('juglant-edit')[0].startTime"
)


def edit_to_sound_ms() -> float:
    """Median over edits of one layer's level while the demo plays."""
    chromium = next(path for name in CHROMIUM if (path := shutil.which(name)))
    from bench.run import address_of

    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        command = [sys.executable, "-m", "juglant.cli", "demo", "--no-browser", "--port", "0", "--data", folder]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:  # noqa: S603
            try:
                address = address_of(server)
                arguments = ["--no-sandbox", "--autoplay-policy=no-user-gesture-required"]
                page = playwright.chromium.launch(executable_path=chromium, args=arguments).new_page()
                page.goto(f"{address}hits")
                page.get_by_role("img", name="Low end").wait_for(timeout=60_000)
                page.keyboard.press("Space")
                page.get_by_role("button", name="Stop").wait_for()
                ruler = page.get_by_role("slider", name="Level", exact=True)
                ruler.focus()
                found: list[float] = []
                for number in range(EDITS):
                    page.evaluate("performance.clearMarks()")
                    page.keyboard.press("ArrowLeft" if number % 2 else "ArrowRight")
                    while not page.evaluate(SCHEDULED):
                        time.sleep(0.01)
                    found.append(page.evaluate(LATENCY))
                    time.sleep(0.6)
                return statistics.median(found)
            finally:
                server.terminate()
