"""The Duck bench by hand, as a producer uses it. One test per goal:

1. a part alone, with and without its duck, heard by measuring: each part once, at its level;
2. a curve drawn by points: keyboard, double click, snapping to note values;
3. a compressor in place of the curve, make-up gain that lifts what lies between, and back;
4. a computed curve follows the tempo, says so, and is undone with it;
5. a part follows another's curve, a second curve on another key, their sum with a limit;
6. ways back and orders of work: compared, heard, taken;
7. the settings of every duck on one sheet;
8. an act with nothing to do says so, and a duck that is off is listed nowhere.
"""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
from page import Tab, bench_tab, heard, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.loop.render import heard_stem
from juglant.core.model.stem import StemRef
from juglant.core.model.track import Track
from juglant.demo.kit import with_targets

LOOP_S = 16 * 60 / 126


@pytest.fixture
def page(server: Server, tabs: Callable[[], Tab], solved: Track) -> Page:
    server.load(with_targets(solved))
    opened = tabs().open(server.address, "duck")
    settled(opened)
    return opened


def choose(page: Page, part: str) -> None:
    lane = page.get_by_role("group", name="Gain of every ducked part").get_by_role(
        "button", name=re.compile(f"^{part}: down")
    )
    lane.click()
    expect(lane).to_have_attribute("aria-pressed", "true")
    settled(page)


def figures(page: Page, row: str) -> list[str]:
    """A row of the table of the curve's points."""
    bench_tab(page, "Guards")
    cells = page.get_by_role("table", name="Points of the curve").get_by_role("row", name=re.compile(f"^{row}"))
    found = [text.strip() for text in cells.locator("td").all_inner_texts()]
    bench_tab(page, "Curve")
    return found


def undo(page: Page, label: str) -> None:
    button = page.get_by_role("button", name="Undo", exact=True)
    expect(button).to_have_attribute("title", re.compile(f"^Undo: {label}"))
    button.click()
    settled(page)


def rms_db(audio: np.ndarray) -> float:
    return float(20 * np.log10(np.sqrt(np.mean(audio**2)) + 1e-12))


def test_a_part_is_heard_once_alone_with_and_without_its_duck(page: Page, solved: Track) -> None:
    track = with_targets(solved)
    choose(page, "Pad")
    page.get_by_role("button", name="Pad alone", exact=True).click()
    page.keyboard.press("a")
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    # It fades in, and the pad alone comes with it.
    heard(page, 1.5)
    levels = []
    for _ in range(2):
        audio, rate = heard(page, LOOP_S)
        assert audio.size == round(LOOP_S * rate)
        levels.append(rms_db(audio))
        page.get_by_role("button", name="Without duck: Pad", exact=True).click()
        # At the next beat.
        heard(page, 1.0)
    # At the level the page plays at, turned down to the quieter of before and after; a pad has nothing under 20 Hz.
    gain = page.evaluate("window.juglantPlayer.view.levelDb + Math.min(0, window.juglantPlayer.desk.matchDb)")
    wanted = [rms_db(heard_stem(track, StemRef("pad", state))) + gain for state in ("heard", "unducked")]
    assert levels == pytest.approx(wanted, abs=0.4)
    assert levels[1] > levels[0] + 1


def test_a_curve_is_drawn_by_points(page: Page) -> None:
    # An even return is drawn by its corners.
    shape = page.get_by_role("slider", name="Shape")
    shape.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("1")
    page.keyboard.press("Enter")
    settled(page)
    page.get_by_role("button", name="Draw by points").click()
    settled(page)
    assert len(figures(page, "time")) == 5
    page.get_by_role("slider", name="Curve point 3").focus()
    for _ in range(4):
        page.keyboard.press("ArrowDown")
    settled(page)
    assert figures(page, "gain")[2] == "−8.5 dB"
    # What was measured meanwhile may move the chart: it is still before it is pressed.
    page.get_by_role("slider", name="Curve point 3").scroll_into_view_if_needed()
    page.wait_for_timeout(500)
    box = page.get_by_role("slider", name="Curve point 3").bounding_box()
    last = page.get_by_role("slider", name="Curve point 4").bounding_box()
    assert box
    assert last
    page.mouse.dblclick((box["x"] + last["x"]) / 2 + 10, box["y"] + 2)
    expect(page.get_by_role("slider", name="Curve point 5")).to_be_visible()
    settled(page)
    assert len(figures(page, "time")) == 6
    page.get_by_role("slider", name="Curve point 4").focus()
    page.keyboard.press("Delete")
    expect(page.get_by_role("slider", name="Curve point 5")).to_have_count(0)
    # Snapped: the last point goes from an eighth to the next place of the grid, and is called by its name.
    page.get_by_label("Snap to note values").check()
    end = page.get_by_role("slider", name="Curve point 4")
    end.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    settled(page)
    beats = float(figures(page, "in beats")[3].split()[0])
    assert min(abs(beats * 16 - round(beats * 16)), abs(beats * 12 - round(beats * 12))) < 0.09
    assert beats > 0.52
    # Later than the kept note: the guard is pinned to its place, and its fix keeps the drawing.
    late = page.get_by_role("region", name="The duck is not back in time")
    expect(page.locator("[data-pin='late note']")).to_be_visible()
    late.get_by_role("button", name=re.compile("Be back after")).click()
    expect(late).to_have_count(0)
    expect(page.get_by_role("slider", name="Curve point 4")).to_be_visible()
    page.get_by_role("button", name="Back to rulers").click()
    expect(page.get_by_role("slider", name="Depth", exact=True)).to_have_attribute("aria-valuenow", re.compile(r"^6\.\d"))


def test_a_compressor_stands_in_for_the_curve(page: Page) -> None:
    bench_tab(page, "Compressor")
    page.get_by_role("button", name="Match").click()
    table = page.get_by_role("table", name="Compressor settings")
    row = table.get_by_role("row", name=re.compile("^at 2:1"))
    reaches = float(row.locator("td.mono").last.inner_text().split()[0])
    page.get_by_role("button", name="Use it: at 2:1").click()
    bench_tab(page, "Curve")
    region = page.get_by_role("region", name="Compressor in place of the curve")
    expect(region.get_by_role("slider", name="Ratio")).to_have_attribute("aria-valuenow", "2")
    settled(page)
    # What was promised is what is measured once it is used.
    expect(page.get_by_text(f"kick over bass {reaches:.1f} dB", exact=False)).to_be_visible()
    region.get_by_label("Make-up gain").select_option("manual")
    ruler = region.get_by_role("slider", name="Make-up")
    ruler.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("5")
    page.keyboard.press("Enter")
    finding = page.get_by_role("region", name="Make-up gain lifts what lies between")
    expect(finding).to_contain_text("limit 1.0 dB")
    finding.get_by_role("button", name="Make-up gain off").click()
    expect(finding).to_have_count(0)
    region.get_by_role("button", name="Back to the curve").click()
    expect(page.get_by_test_id("grip-hold")).to_be_visible()
    expect(page.get_by_text("kick over bass 10.0 dB", exact=False)).to_be_visible()


def test_a_computed_curve_follows_the_tempo_and_is_undone_with_it(page: Page) -> None:
    before = figures(page, "time")
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Track").click()
    tempo = page.get_by_role("slider", name="Tempo")
    tempo.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("150")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Undo", exact=True)).to_have_attribute(
        "title", "Undo: Tempo, ducks fitted again"
    )
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Duck").click()
    bench_tab(page, "Key and part")
    expect(page.get_by_text("Fitted again: the tempo changed")).to_be_visible()
    settled(page)
    expect(page.get_by_text("150 BPM")).to_be_visible()
    assert figures(page, "time") != before
    bench_tab(page, "Guards")
    was = page.get_by_role("table", name="Points of the curve").get_by_role("row", name=re.compile("^time"))
    undo(page, "Tempo")
    expect(was).to_have_text(re.compile(".*".join(["time", *before])))
    # Stepping back is no change of one's own: nothing is fitted again behind it.
    expect(page.get_by_role("button", name="Undo", exact=True)).not_to_have_attribute("title", re.compile("fitted again"))
    expect(page.get_by_role("button", name="Redo", exact=True)).to_be_enabled()


def test_curves_are_copied_followed_and_put_together(page: Page) -> None:
    lanes = page.get_by_role("group", name="Gain of every ducked part")
    choose(page, "Pad")
    page.get_by_label("Curve of another part").select_option("follow bass")
    bench_tab(page, "Key and part")
    expect(page.get_by_text("its curve is changed there")).to_be_visible()
    expect(lanes.get_by_role("button", name=re.compile(r"^Pad: down to −6\.5 dB"))).to_be_visible()
    share = page.get_by_role("slider", name="Of its depth")
    share.focus()
    page.keyboard.press("Enter")
    page.keyboard.type("50")
    page.keyboard.press("Enter")
    expect(share).to_be_focused()
    expect(lanes.get_by_role("button", name=re.compile(r"^Pad: down to −3\.2 dB"))).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Unlink").click()
    settled(page)
    bench_tab(page, "Curve")
    expect(page.get_by_role("slider", name="Depth", exact=True)).to_have_attribute("aria-valuenow", re.compile(r"^3\.2"))
    page.get_by_role("button", name="Add a curve").click()
    settled(page)
    expect(page.get_by_role("button", name="Curve 2", exact=True)).to_have_attribute("aria-pressed", "true")
    bench_tab(page, "Key and part")
    page.get_by_label("Keyed by").select_option("grid")
    page.get_by_label("Curves together").select_option("sum")
    expect(page.get_by_role("slider", name="Sum limit")).to_be_visible()
    settled(page)
    expect(lanes.get_by_role("button", name=re.compile(r"^Pad: down to −(9|1\d)\.\d dB"))).to_be_visible()
    page.get_by_role("button", name="Remove curve 2").click()
    settled(page)
    choose(page, "Stab")
    page.get_by_label("Curve of another part").select_option("copy pad")
    expect(lanes.get_by_role("button", name=re.compile(r"^Stab: down to −3\.2 dB"))).to_be_visible()
    # Two rooms for the stab, each with its tail.
    expect(page.get_by_text(re.compile(r"with the part: tail \d+ ms.*rings on: tail \d+ ms"))).to_be_visible()


def test_ways_back_and_orders_of_work_are_compared_heard_and_taken(page: Page) -> None:
    choose(page, "Pad")
    bench_tab(page, "Ways")
    page.get_by_role("button", name="Compare").click()
    table = page.get_by_role("table", name="Ways back, measured")
    for name in ("Tight", "Even", "Late"):
        expect(table.get_by_role("row", name=re.compile(f"^{name} "))).not_to_contain_text("over:")
    listen(page, 3)
    table.get_by_role("button", name="Hear: Late").click()
    audio, rate = taken_down(page)
    assert np.max(np.abs(audio[rate:])) > 0.01
    assert np.max(np.abs(audio)) < 10 ** (-1 / 20)
    table.get_by_role("button", name="Take: Late").click()
    settled(page)
    bench_tab(page, "Curve")
    expect(page.get_by_role("slider", name="Shape")).not_to_have_attribute("aria-valuenow", "1")
    undo(page, "Pad: Late")
    choose(page, "Bass")
    bench_tab(page, "Ways")
    page.get_by_role("button", name="Weigh the orders").click()
    weighed = page.get_by_role("table", name="Orders of work, measured")
    expect(weighed.get_by_role("row", name=re.compile("^Duck first for its share"))).to_contain_text("+9.9 dB")
    weighed.get_by_role("button", name="Take: Duck first for its share").click()
    settled(page)
    # What is ducked first comes first among the steps.
    steps = page.get_by_role("navigation", name="Steps").get_by_role("link")
    expect(steps.filter(has_text="Duck")).to_contain_text("4")
    bench_tab(page, "Curve")
    expect(page.get_by_role("slider", name="Depth", exact=True)).to_have_attribute("aria-valuenow", re.compile(r"^6\.\d"))
    expect(
        page.get_by_text("kick over bass 9.9 dB, goal 10.0 dB").or_(page.get_by_text("kick over bass 10.0 dB"))
    ).to_be_visible()
    undo(page, "Bass: Duck first")


def test_the_settings_of_every_duck_are_on_one_sheet(page: Page) -> None:
    bench_tab(page, "To type in")
    page.get_by_role("button", name="Show the settings").click()
    sheet = page.get_by_role("region", name="Settings of every duck").locator("pre")
    expect(sheet).to_contain_text("BASS")
    expect(sheet).to_contain_text("STAB")
    expect(sheet).to_contain_text("attack")
    expect(page.get_by_role("button", name="Print")).to_be_visible()


@pytest.mark.parametrize(("step", "act"), [("Separate", "Compute carve"), ("Duck", "Compute duck")])
def test_an_act_with_nothing_left_to_do_says_so(page: Page, step: str, act: str) -> None:
    page.get_by_role("link", name=step).click()
    button = page.get_by_role("button", name=act)
    # The second time there is nothing left, whatever the first one found.
    for _ in range(2):
        expect(button).to_be_enabled()
        button.click()
        settled(page)
    expect(page.get_by_role("status").filter(has_text="Nothing was changed: it is as this would make it.")).to_be_visible()


def test_a_duck_that_is_off_is_listed_nowhere_with_its_depth(page: Page) -> None:
    deepest = page.get_by_role("complementary", name="What the numbers say").locator(".headline > div").nth(1)
    expect(deepest).to_contain_text(re.compile(r"[\u2212-][1-9]\d*\.\d dB"))
    page.get_by_label("Duck on").click()
    expect(deepest).to_contain_text(re.compile(r"^0\.0 dB"))
    settled(page)
    page.get_by_role("link", name="Deliver").click()
    numbers = page.get_by_role("main")
    expect(numbers.get_by_text("Duck on the pad")).to_be_visible()
    expect(numbers.get_by_text("Duck on the bass")).to_have_count(0)
