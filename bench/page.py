"""What is measured in the page: edit to sound, pictures that follow a drag, sixteen variations."""

from __future__ import annotations

import re
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass

from playwright.sync_api import Page, sync_playwright

from bench.machine import undisturbed

EDITS, ROLLS, SETTLED = 15, 5, 7
CHROMIUM = ("chromium", "chromium-browser", "google-chrome")
SCHEDULED = "performance.getEntriesByName('juglant-scheduled').length"
LATENCY = (
    "performance.getEntriesByName('juglant-scheduled')[0].startTime"
    " - performance.getEntriesByName('juglant-edit')[0].startTime"
)


DRAG_S = 2.5


@dataclass(frozen=True)
class PageFigures:
    """edit_to_sound_ms: a value changed until its audio is scheduled; pictures_per_s: while a ruler is dragged, stopped and
    with the loop playing; carve_per_s, duck_per_s: while a move of the carve, a point of the duck is dragged, playing;
    roll_ms: from press to sixteen variations of five layers on screen, each heard when it is struck; sounds_ms: to all of
    their sounds fetched ahead; newcomer_s: the first visit to a server just started, from its address to the demo heard
    before and after; stolen: most of the machine taken away during one of them."""

    edit_to_sound_ms: float
    pictures_per_s: float
    pictures_per_s_playing: float
    carve_per_s: float
    duck_per_s: float
    roll_ms: float
    sounds_ms: float
    newcomer_s: float
    dimmed_ms: float
    settled_ms: float
    stolen: float


def _marks(page: Page, name: str) -> int:
    return int(page.evaluate(f"performance.getEntriesByName('{name}').length"))


def _edit_to_sound_ms(page: Page) -> float:
    """Median over edits of one layer's level while the demo plays."""
    ruler = page.get_by_role("slider", name="Level", exact=True)
    ruler.focus()
    found: list[float] = []
    for number in range(EDITS):
        page.evaluate("performance.clearMarks()")
        page.keyboard.press("ArrowLeft" if number % 2 else "ArrowRight")
        while not page.evaluate(SCHEDULED):
            time.sleep(0.01)
        found.append(float(page.evaluate(LATENCY)))
        time.sleep(0.6)
    return statistics.median(found)


def _settled_ms(page: Page) -> tuple[float, float]:
    """Medians over edits of one layer's level, each to another value: dimmed, and true again."""
    ruler = page.get_by_role("slider", name="Level", exact=True)
    ruler.focus()
    dimmed: list[float] = []
    settled: list[float] = []
    for _ in range(SETTLED):
        page.evaluate("performance.clearMarks()")
        page.keyboard.press("ArrowLeft")
        while not _marks(page, "juglant-settled"):
            time.sleep(0.02)
        began = float(page.evaluate("performance.getEntriesByName('juglant-edit')[0].startTime"))
        for name, into in (("dimmed", dimmed), ("settled", settled)):
            into.append(float(page.evaluate(f"performance.getEntriesByName('juglant-{name}')[0].startTime")) - began)
        _rest(page)
    return statistics.median(dimmed), statistics.median(settled)


# A hand that moves with every frame of the screen, from inside the page.
DRAG = """async ([x, y, width, seconds]) => {
  const ruler = document.elementFromPoint(x, y).closest("[role=slider]");
  performance.clearMarks();
  const began = performance.now();
  for (let turn = 0; performance.now() - began < 1000 * seconds; turn++) {
    await new Promise(requestAnimationFrame);
    const clientX = x + width * 0.002 * (turn % 80);
    const how = { bubbles: true, pointerId: 1, buttons: 1, clientX, clientY: y, pointerType: "mouse" };
    ruler.dispatchEvent(new PointerEvent("pointermove", how));
  }
  return performance.getEntriesByName("juglant-picture").length / (performance.now() - began) * 1000;
}"""


def _rest(page: Page) -> None:
    """Wait until nothing is being measured."""
    time.sleep(1)
    page.locator("main[aria-busy=false]").wait_for(timeout=60_000)
    time.sleep(0.5)


def _pictures_per_s(page: Page, ruler: str) -> float:
    """How many pictures of the hit a dragged ruler makes in a second, the second time."""
    slider = page.get_by_role("slider", name=ruler, exact=True)
    slider.scroll_into_view_if_needed()
    box = slider.bounding_box()
    assert box is not None  # noqa: S101 - the bench's own page
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(DRAG, [x, y, box["width"], 3])
    found = float(page.evaluate(DRAG, [x, y, box["width"], DRAG_S]))
    page.mouse.up()
    _rest(page)
    return found


# The point of a move that goes with every frame of the screen.
DRAG_MOVE = """async ([x, y, seconds]) => {
  const chart = document.elementFromPoint(x, y).closest("svg");
  performance.clearMarks();
  const began = performance.now();
  for (let turn = 0; performance.now() - began < 1000 * seconds; turn++) {
    await new Promise(requestAnimationFrame);
    const [clientX, clientY] = [x + turn % 60, y + turn % 30];
    const how = { bubbles: true, pointerId: 1, buttons: 1, clientX, clientY, pointerType: "mouse" };
    chart.dispatchEvent(new PointerEvent("pointermove", how));
  }
  return performance.getEntriesByName("juglant-picture").length / (performance.now() - began) * 1000;
}"""


def _point_per_s(page: Page, step: str, point_id: str) -> float:
    """How often a curve is drawn in a second while a point of it is dragged and the loop plays."""
    page.get_by_role("link", name=step).click()
    point = page.get_by_test_id(point_id)
    # In the middle: at the edge the strip, which stays, lies over it.
    point.evaluate("point => point.scrollIntoView({ block: 'center' })")
    _rest(page)
    box = point.bounding_box()
    assert box is not None  # noqa: S101 - the bench's own page
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    found = float(page.evaluate(DRAG_MOVE, [x, y, DRAG_S]))
    page.mouse.up()
    _rest(page)
    page.get_by_role("link", name="Hits").click()
    _rest(page)
    return found


def _five_layers(page: Page) -> None:
    """Two more layers on the demo's kick, and the sheet of its variations."""
    for name in ("Body", "Tail"):
        page.get_by_role("button", name="Add a layer").click()
        page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()
        time.sleep(1)
    page.get_by_role("tab", name="Variations").click()


def _roll_ms(page: Page) -> tuple[float, float]:
    """Medians over rolls: seen, and every sound fetched ahead."""
    seen: list[float] = []
    fetched: list[float] = []
    for _ in range(ROLLS):
        page.evaluate("performance.clearMarks()")
        began = float(page.evaluate("performance.now()"))
        page.get_by_role("button", name="Roll sixteen").click()
        while not _marks(page, "juglant-sheet-sounds"):
            time.sleep(0.01)
        for name, into in (("juglant-sheet", seen), ("juglant-sheet-sounds", fetched)):
            into.append(float(page.evaluate(f"performance.getEntriesByName('{name}')[0].startTime")) - began)
        time.sleep(1)
    return statistics.median(seen), statistics.median(fetched)


def _newcomer_s(page: Page, address: str) -> float:
    """The first visit: the page opened, the loop playing, after heard where before was."""
    began = time.monotonic()
    page.goto(address)
    page.get_by_role("button", name="Before", exact=True).and_(page.locator("[aria-pressed=true]")).wait_for()
    page.keyboard.press("Space")
    page.get_by_role("banner").get_by_role("button", name="Stop").wait_for()
    page.keyboard.press("a")
    page.get_by_role("button", name="After", exact=True).and_(page.locator("[aria-pressed=true]")).wait_for()
    found = time.monotonic() - began
    page.keyboard.press("Space")
    return found


def page_figures() -> PageFigures:
    """Everything that is measured in the page itself, on the demo."""
    chromium = next(path for name in CHROMIUM if (path := shutil.which(name)))
    from bench.run import address_of

    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        command = [sys.executable, "-m", "juglant.cli", "demo", "--no-browser", "--port", "0", "--data", folder]
        with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:  # noqa: S603
            try:
                address = address_of(server)
                arguments = ["--no-sandbox", "--autoplay-policy=no-user-gesture-required"]
                page = playwright.chromium.launch(executable_path=chromium, args=arguments).new_page(
                    viewport={"width": 1280, "height": 800}
                )
                # Once only: whoever comes a second time is no newcomer.
                newcomer = _newcomer_s(page, address)
                page.goto(f"{address}hits")
                page.get_by_role("img", name="Low end").wait_for(timeout=60_000)
                page.get_by_role("button", name="Body sweep").click()
                time.sleep(2)
                page.get_by_role("tab", name="In the sum").click()
                settled, none = undisturbed(lambda: _settled_ms(page))
                page.get_by_role("tab", name="Sound").click()
                stopped, first = undisturbed(lambda: _pictures_per_s(page, "Decay"))
                page.keyboard.press("Space")
                page.get_by_role("banner").get_by_role("button", name="Stop").wait_for()
                _rest(page)
                playing, second = undisturbed(lambda: _pictures_per_s(page, "Decay"))
                page.get_by_role("tab", name="In the sum").click()
                edit, third = undisturbed(lambda: _edit_to_sound_ms(page))
                carve, fourth = undisturbed(lambda: _point_per_s(page, "Separate", "move-1"))
                duck, fifth = undisturbed(lambda: _point_per_s(page, "Duck", "grip-hold"))
                _five_layers(page)
                rolls, last = undisturbed(lambda: _roll_ms(page))
                stolen = max(none, first, second, third, fourth, fifth, last)
                return PageFigures(edit, stopped, playing, carve, duck, *rolls, newcomer, *settled, stolen=stolen)
            finally:
                server.terminate()
