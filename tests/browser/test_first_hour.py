"""From an empty page on: every step says how far it is and what is next, and says nothing that is not so."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from page import Tab, at_length, bench_tab, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.carve import Carve
from juglant.core.model.strokes import struck
from juglant.core.model.track import Track


def test_an_empty_track_has_begun_nothing_and_each_step_says_what_is_next(server: Server, tabs: Callable[[], Tab]) -> None:
    server.load(Track(name="Blank", carve=Carve(floor_on=True)))
    page = tabs().open(server.address)
    steps = page.get_by_role("navigation", name="Steps")
    says = page.get_by_role("complementary", name="What the numbers say")
    expect(steps.get_by_role("img", name="not begun")).to_have_count(6)
    expect(steps.get_by_role("img", name="done")).to_have_count(0)
    for step, following in (
        ("Track", "write kicks on the first row"),
        ("Hits", "Start the kick from a sound"),
        ("Tune", "no pitch of a kick"),
        ("Separate", "there is no kick in the loop"),
        ("Duck", "there is no kick in the loop"),
        ("Deliver", "nothing sounds"),
    ):
        steps.get_by_role("link", name=step).click()
        expect(says.locator(".next")).to_contain_text(following)
    expect(page.get_by_text("Nothing stands out")).to_have_count(0)


def test_strokes_of_a_kick_without_sound_are_named_and_mended_in_one_press(server: Server, tabs: Callable[[], Tab]) -> None:
    server.load(Track(name="Silent").with_strokes("kick", tuple(struck(float(at)) for at in range(8))))
    page = tabs().open(server.address, "hits")
    steps = page.get_by_role("navigation", name="Steps")
    expect(steps.get_by_role("img", name="1 to fix")).to_be_visible()
    finding = page.get_by_role("region", name="The kick makes no sound")
    expect(finding).to_contain_text("8")
    finding.get_by_role("button", name="Start it from").click()
    settled(page)
    expect(finding).to_have_count(0)
    expect(steps.get_by_role("img", name="1 to fix")).to_have_count(0)
    expect(page.get_by_role("region", name="Bench of Kick")).to_contain_text("lands")


def test_what_is_heard_alone_is_lit_named_and_let_go_of_in_the_top_bar(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address)
    bar = page.get_by_role("banner").get_by_role("button", name=re.compile("^Heard: "))
    expect(bar).to_have_text("all parts")
    for key, said in (("k", "Kick alone"), ("b", "Bass alone"), ("l", "Bass alone, Low end alone"), ("b", "Low end alone")):
        page.keyboard.press(key)
        expect(bar).to_have_text(said)
    bar.click()
    page.get_by_role("button", name="All parts").click()
    expect(bar).to_have_text("all parts")
    # By mouse too, any part of the track.
    bar.click()
    page.locator(".dropdown-menu.show").get_by_role("button", name="Kick").click()
    expect(bar).to_have_text("Kick alone")
    assert page.evaluate("[juglantPlayer.view.solo, juglantPlayer.view.band]") == ["kick", "all"]


def test_figures_are_dimmed_from_a_change_until_they_are_true_again(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address, "duck")
    figures = page.get_by_role("complementary", name="What the numbers say").locator("[aria-busy]")
    settled(page)
    expect(figures).to_have_attribute("aria-busy", "false")
    before = figures.locator(".headline").inner_text()
    # The answer is held back: what is shown is not true yet, and says so.
    page.route("**/commands", lambda route: None)
    depth = page.get_by_role("slider", name="Depth", exact=True)
    depth.focus()
    page.keyboard.press("ArrowRight")
    expect(figures).to_have_attribute("aria-busy", "true")
    assert float(figures.evaluate("one => getComputedStyle(one).opacity")) < 0.6
    page.unroute("**/commands")
    page.reload()
    settled(page)
    expect(figures).to_have_attribute("aria-busy", "false")
    # What was on its way when the page was left is there, and so is its figure.
    assert figures.locator(".headline").inner_text().split()[0] != before.split()[0]


def test_what_an_edit_leaves_behind_is_fitted_before_it_is_measured(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address, "hits")
    settled(page)
    measured: list[str] = []
    page.on("request", lambda asked: measured.append(asked.url) if asked.url.endswith("/view") else None)
    level = page.get_by_role("slider", name="Level", exact=True)
    page.get_by_role("tab", name="In the sum").click()
    level.focus()
    page.keyboard.press("ArrowLeft")
    undo = page.get_by_role("button", name="Undo", exact=True)
    expect(undo).to_have_attribute("title", re.compile("ducks fitted again"))
    settled(page)
    # As it was before its ducks were fitted nobody asks for it, and no figure of it is seen.
    assert len(measured) == 1, measured


STRIP = "Low end"


def test_before_and_after_change_every_picture_and_the_figures_name_both(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address, "separate")
    settled(page)
    strip = page.get_by_role("img", name=STRIP)
    before = strip.get_attribute("aria-label") or ""
    assert "before carve and duck" in before
    headline = page.locator(".headline > div").first
    assert re.search(r"−1\.9→(9\.9|10\.0) dB", headline.inner_text())
    shape = strip.locator("[data-part=bass] path").first.get_attribute("d") or ""
    ghost = strip.get_by_test_id("ghost").first.get_attribute("d")
    page.keyboard.press("a")
    expect(strip).to_have_attribute("aria-label", re.compile("as it is now"))
    after = strip.get_attribute("aria-label") or ""
    fights = [int(found.group(1)) for one in (before, after) if (found := re.search(r"fight in (\d+) places", one))]
    assert fights[0] > fights[1]
    # What was the other is what is drawn now, and the other way round.
    assert strip.locator("[data-part=bass] path").first.get_attribute("d") == ghost
    assert strip.get_by_test_id("ghost").first.get_attribute("d") == shape
    expect(page.get_by_role("button", name=re.compile("^Clash map after"))).to_be_visible()


def test_tracks_are_begun_named_copied_and_removed_at_the_name_and_each_is_said(
    server: Server, tabs: Callable[[], Tab]
) -> None:
    page = tabs().open(server.address)
    settled(page)
    bar = page.get_by_role("banner")
    said = page.get_by_role("status")
    bar.get_by_role("button", name=re.compile("all tracks$")).click()
    form = page.get_by_role("form", name="New track")
    form.get_by_label("Name").fill("Groyne")
    form.get_by_label("Key").select_option("D")
    form.get_by_label("Tempo, BPM").fill("1000")
    expect(form.get_by_role("button", name="New track")).to_be_disabled()
    form.get_by_label("Tempo, BPM").fill("131.5")
    page.keyboard.press("Enter")
    expect(bar.get_by_role("button", name="Groyne: all tracks")).to_be_visible()
    expect(said.filter(has_text="Groyne is begun and open")).to_contain_text("is kept as it stands")
    expect(bar).to_contain_text("131.50 BPM")
    menu = page.locator(".tracks-menu")
    bar.get_by_role("button", name="Groyne: all tracks").click()
    menu.get_by_role("button", name="Duplicate Groyne", exact=True).click()
    expect(bar.get_by_role("button", name="Groyne 2: all tracks")).to_be_visible()
    bar.get_by_role("button", name="Groyne 2: all tracks").click()
    menu.get_by_role("button", name="Rename Groyne 2").click()
    menu.get_by_label("New name of Groyne 2").fill("Mole")
    page.keyboard.press("Enter")
    expect(bar.get_by_role("button", name="Mole: all tracks")).to_be_visible()
    line = menu.get_by_role("listitem").filter(has_text="Groyne")
    expect(line).to_contain_text("131.50 BPM")
    expect(line.get_by_role("img")).to_have_attribute("aria-label", re.compile("bars, 0 kicks, 0 bass notes"))
    menu.get_by_role("button", name="Remove Groyne", exact=True).click()
    expect(line).to_have_count(0)
    said.filter(has_text="Groyne is removed from the list").get_by_role("button", name="Undo").click()
    bar.get_by_role("button", name="Mole: all tracks").click()
    expect(line).to_have_count(1)
    menu.get_by_role("button", name="Open Groyne", exact=True).click()
    expect(said.filter(has_text="Groyne is open")).to_contain_text("Mole is kept")


def test_start_over_says_what_it_replaces_and_is_taken_back(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address)
    settled(page)
    over = page.get_by_role("button", name="Start over")
    expect(over).to_have_attribute("title", re.compile("in place of this one"))
    over.click()
    said = page.get_by_role("status").filter(has_text="stands in place of")
    expect(said).to_be_visible()
    settled(page)
    said.get_by_role("button", name="Undo").click()
    settled(page)
    expect(page.get_by_role("button", name="Redo", exact=True)).to_have_attribute("title", "Redo: Start over")


def test_the_playhead_is_right_from_its_first_frame_in_every_picture_of_time(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address)
    settled(page)
    # Every frame of the first second: where each playhead is drawn, and what is heard then.
    watch = """() => new Promise((done) => {
      const seen = [];
      const began = performance.now();
      const look = () => {
        const late = performance.now() - document.timeline.currentTime;
        // What is drawn is of the frame's own time, which has passed by so much.
        const heard = window.juglantPlayer.beat();
        const beat = heard === null ? null : heard - late / BEAT_MS;
        for (const one of document.querySelectorAll(".playhead")) {
          if (getComputedStyle(one).visibility !== "visible" || beat === null) continue;
          const window_ = one.parentElement.getBoundingClientRect();
          // A machine that is busy with something else shows no frame at all for a while.
          if (late < FRESH_MS) seen.push([beat, (one.getBoundingClientRect().x + 0.75 - window_.x) / window_.width]);
        }
        performance.now() - began < 1500 ? requestAnimationFrame(look) : done(seen);
      };
      window.juglantPlayer.toggle();
      look();
    })"""
    beats, beat_ms = solved.sheet.length_beats, 60000 / solved.sheet.bpm
    for step, pictures in (("track", 2), ("separate", 2), ("duck", 2)):
        page.get_by_role("navigation", name="Steps").get_by_role("link", name=step.capitalize()).click()
        settled(page)
        expect(page.locator(".playhead:visible")).to_have_count(0)
        expect(page.locator(".playhead").nth(pictures - 1)).to_be_attached()
        seen = page.evaluate(watch.replace("BEAT_MS", str(beat_ms)).replace("FRESH_MS", "25"))
        off = sorted(abs(share * beats - beat) * beat_ms for beat, share in seen)
        assert off, step
        # Half of a beat's eighth: a hand that plays in knows no closer.
        assert off[len(off) // 2] < 30, (step, off[-1])
        page.keyboard.press("Space")


def test_a_press_in_a_picture_of_time_plays_from_there_and_space_from_the_mark(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address, "duck")
    settled(page)
    beat = "window.juglantPlayer.beat()"
    mark = page.get_by_role("slider", name="Where the loop plays from")
    box = mark.bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] * 8.02 / 16, box["y"] + 20)
    page.wait_for_function(f"() => {beat} !== null && {beat} > 8 && {beat} < 11")
    # While it plays a press elsewhere goes on there; the foot of the lanes is such a place too.
    foot = page.get_by_test_id("seek").first.bounding_box()
    assert foot is not None
    page.mouse.click(foot["x"] + foot["width"] * 2.02 / 16, foot["y"] + foot["height"] / 2)
    page.wait_for_function(f"() => {beat} > 2 && {beat} < 5")
    page.keyboard.press("Space")
    page.wait_for_function(f"() => {beat} === null")
    page.keyboard.press("Space")
    page.wait_for_function(f"() => {beat} !== null && {beat} > 1.9 && {beat} < 5")
    page.keyboard.press("Space")
    # By keyboard: the mark is moved by beats, and back.
    mark.focus()
    page.keyboard.press("Home")
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(mark).to_have_attribute("aria-valuetext", "2.2")
    # Held, it is heard as long as it is held.
    page.keyboard.down("Space")
    page.wait_for_function(f"() => {beat} !== null && {beat} > 4.9 && {beat} < 8")
    page.keyboard.down("Space")
    page.keyboard.up("Space")
    page.wait_for_function(f"() => {beat} === null")


def test_sixteen_bars_are_worked_four_and_one_at_a_time_in_every_picture(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    long = solved.model_copy(update={"sheet": solved.sheet.model_copy(update={"bars": 16})})
    server.load(long.with_strokes("kick", tuple(struck(float(at)) for at in range(64))))
    page = tabs().open(server.address)
    settled(page)
    sight = page.get_by_role("group", name="Time in sight")
    expect(sight.get_by_role("button", name="4 bars in sight")).to_have_attribute("aria-pressed", "true")
    cells = page.get_by_role("checkbox", name=re.compile("^Kick at "))
    expect(cells).to_have_count(64)
    for _ in range(3):
        sight.get_by_role("button", name="Later bars").click()
    expect(sight.get_by_role("button", name="Later bars")).to_be_disabled()
    expect(page.get_by_role("checkbox", name="Kick at 16.4", exact=True)).to_be_checked()
    sight.get_by_role("button", name="1 bar in sight").click()
    expect(cells).to_have_count(16)
    narrow = cells.first.bounding_box()
    assert narrow is not None
    assert narrow["width"] > 24
    # The strip shows the same bar.
    expect(page.get_by_role("img", name=STRIP).get_by_text("13.1", exact=True)).to_have_count(1)


def test_a_row_is_filled_muted_named_and_removed_at_its_name(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    from juglant.demo.kit import with_kit

    server.load(with_kit(solved))
    page = tabs().open(server.address)
    settled(page)
    menu = page.locator(".dropdown-menu.show")
    checked = page.get_by_role("checkbox", name=re.compile("^Wood at "), checked=True)

    def row(name: str, act: str) -> None:
        page.get_by_role("button", name=re.compile(f"^{name}.*: its row$")).click()
        menu.get_by_role("button", name=act, exact=True).click()
        settled(page)

    row("Wood", "Off-beats")
    expect(checked).to_have_count(16)
    row("Wood", "Sixteenths")
    expect(checked).to_have_count(64)
    row("Wood", "Clear the row")
    expect(checked).to_have_count(0)
    page.get_by_role("status").get_by_role("button", name="Undo").click()
    expect(checked).to_have_count(64)
    row("Wood", "Mute")
    expect(page.get_by_role("button", name="Wood, muted: its row")).to_be_visible()
    row("Wood", "Let it sound")
    page.get_by_role("button", name="Wood: its row").click()
    menu.get_by_label("Name of Wood").fill("Block")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Block: its row")).to_be_visible()
    settled(page)
    row("Block", "Remove")
    expect(page.get_by_role("button", name="Block: its row")).to_have_count(0)


def test_a_tab_has_a_key_is_remembered_and_is_where_its_finding_leads(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(solved)
    page = tabs().open(server.address, "separate")
    settled(page)
    bench = page.get_by_role("tablist", name="What is on the bench")
    page.keyboard.press("Shift+Digit3")
    expect(bench.get_by_role("tab", name="Owners and ways")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("5")
    page.keyboard.press("4")
    expect(bench.get_by_role("tab", name="Owners and ways")).to_have_attribute("aria-selected", "true")
    page.reload()
    expect(bench.get_by_role("tab", name="Owners and ways")).to_have_attribute("aria-selected", "true")
    settled(page)
    finding = page.get_by_role("region", name="The floor filter costs peak")
    expect(at_length(finding)).to_contain_text("this project's choice")
    finding.get_by_role("button", name="The floor filter costs peak", exact=True).click()
    expect(bench.get_by_role("tab", name="Moves and filters")).to_have_attribute("aria-selected", "true")
    expect(page.get_by_role("checkbox", name="Floor filter")).to_be_visible()


@pytest.mark.parametrize(("width", "height"), [(640, 400), (1100, 800), (1920, 1080)])
def test_nothing_leaves_the_screen_at_any_width(
    width: int, height: int, server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    # 640 by 400 is what is left of 1280 by 800 at 200 %.
    server.load(solved)
    page = tabs().open(server.address)
    page.set_viewport_size({"width": width, "height": height})
    wide = {}
    for step in ("track", "hits", "tune", "separate", "duck", "deliver", "takes", "data"):
        page.goto(f"{server.address}{step}")
        expect(page.get_by_role("img", name=STRIP)).to_be_visible()
        settled(page)
        names = page.get_by_role("tablist", name="What is on the bench").get_by_role("tab")
        for index in range(max(1, names.count())):
            if names.count():
                names.nth(index).click()
                settled(page)
            over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
            if over > 0:
                wide[f"{step} {index}"] = over
    assert wide == {}


def test_a_figure_says_what_it_means_where_it_has_the_focus(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "duck")
    settled(page)
    bench_tab(page, "Guards")
    for label, meant in (("kick clearance", "over the bass"), ("start click", "above 150 Hz")):
        page.locator(f"[data-means='{label}']").focus()
        expect(page.get_by_role("tooltip").filter(has_text=meant)).to_be_visible()
