"""What must not happen to ears or to work: too loud, lost, taken for something else, moved away under the hand.

1. at the highest level nothing leaves over the ceiling, on either side;
2. what the database refuses stays on the page until it is stored;
3. a tab that is closed right after a change has stored it;
4. a press meets what was aimed at: nothing moves under the hand, and the window does not scroll;
5. what loaded sounds replace is said first, and taken back in one press;
6. tracks are put away, brought back and removed on the page.
"""

from __future__ import annotations

import re
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
import soundfile
from page import Tab, at_length, both_taken_down, listen, new_track, settled
from playwright.sync_api import Page, expect
from scipy.signal import resample_poly
from support import Server, part_of, stored_track

from juglant.api.settings import DATABASE_NAME
from juglant.core.model.track import Track

CEILING_DB, ALLOWED_DB = -1.0, 0.1
STEPS = ("track", "hits", "tune", "separate", "duck", "deliver", "takes", "data")


def arrived(server: Server, scale: str) -> dict:
    """The sheet of the track that was opened last, once its scale is this one."""
    for _ in range(2400):
        sheet: dict = stored_track(server)["sheet"]
        if sheet["scale"] == scale:
            return sheet
        time.sleep(0.1)
    raise AssertionError(f"what the page had set was not stored: the scale is {sheet['scale']}, not {scale}")


def test_at_the_highest_level_nothing_leaves_over_the_ceiling(
    one_server: Server, solved: Track, tabs: Callable[[], Tab]
) -> None:
    track = solved.with_part("kick", gain_db=6.0).with_part("bass", gain_db=6.0, inverted=True)
    one_server.load(track)
    page = tabs().open(one_server.address)
    page.get_by_label("Level of the preview").fill("0")
    listen(page, 5.0)
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_visible()
    sides, _ = both_taken_down(page)
    # Where the recording is cut off a filter rings: that is the cut's, not the page's.
    peaks_db = [20 * np.log10(np.abs(resample_poly(side, 8, 1)[800:-800]).max()) for side in sides]
    # Loud enough to be held (the stems' sum stands over full scale), and held.
    assert min(peaks_db) > -3
    assert max(peaks_db) <= CEILING_DB + ALLOWED_DB
    settled(page)


def test_what_the_database_refuses_stays_until_it_is_stored(own_server: Server, tabs: Callable[[], Tab]) -> None:
    tab = tabs()
    tab.expected = ("503",)
    page = tab.open(own_server.address)
    settled(page)
    with closing(sqlite3.connect(own_server.data / DATABASE_NAME, isolation_level=None)) as other:
        other.execute("BEGIN IMMEDIATE")
        page.get_by_label("Scale").select_option("dorian")
        alert = page.get_by_role("alert")
        expect(alert).to_contain_text("in use by another program")
        expect(alert).to_contain_text("Your change is kept here")
        expect(page.get_by_label("Scale")).to_have_value("dorian")
        # Pressed while nothing has changed it says so again.
        page.get_by_role("button", name="Try again", exact=True).click()
        page.get_by_label("Bars", exact=True).select_option("2")
        expect(alert).to_contain_text("Your 2 changes are kept here")
        other.execute("ROLLBACK")
    expect(alert).to_have_count(0)
    settled(page)
    expect(page.get_by_label("Scale")).to_have_value("dorian")
    sheet = stored_track(own_server)["sheet"]
    assert (sheet["scale"], sheet["bars"]) == ("dorian", 2)


LEAVES: dict[str, Callable[[Page], object]] = {
    "closed": lambda page: page.close(),
    "another page": lambda page: page.goto("about:blank"),
    "reloaded": lambda page: page.reload(),
}


@pytest.mark.parametrize("leave", LEAVES)
def test_a_tab_that_is_left_right_after_a_change_has_stored_it(leave: str, server: Server, tabs: Callable[[], Tab]) -> None:
    for scale in ("dorian", "phrygian", "harmonic minor"):
        page = tabs().open(server.address)
        settled(page)
        page.on("dialog", lambda dialog: dialog.accept())
        ruler = page.get_by_role("slider", name="Tempo")
        box = ruler.bounding_box()
        assert box is not None
        # Many steps of one movement are on their way, and one change waits behind them.
        page.mouse.move(box["x"] + 60, box["y"] + 8)
        page.mouse.down()
        for step in range(6):
            page.mouse.move(box["x"] + 60 + 4 * step, box["y"] + 8)
        page.mouse.up()
        page.get_by_label("Scale").select_option(scale)
        LEAVES[leave](page)
        # Nobody hears when a page that is gone has sent its last: it is asked until it is there.
        sheet = arrived(server, scale)
        assert sheet["bpm"] != 126
        again = tabs().open(server.address)
        expect(again.get_by_label("Scale")).to_have_value(scale)
        again.close()


@pytest.mark.parametrize("leave", LEAVES)
def test_a_tab_that_is_left_while_ducks_are_fitted_has_stored_what_was_set_meanwhile(
    leave: str, server: Server, solved: Track, tabs: Callable[[], Tab]
) -> None:
    server.load(solved)
    page = tabs().open(server.address)
    settled(page)
    page.on("dialog", lambda dialog: dialog.accept())
    with page.expect_request(lambda asked: "fit-ducks" in (asked.post_data or "")):
        page.get_by_role("slider", name="Tempo").press("ArrowRight")
    page.get_by_label("Scale").select_option("dorian")
    LEAVES[leave](page)
    assert arrived(server, "dorian")["bpm"] != solved.sheet.bpm


def test_a_page_warns_while_something_is_not_stored(own_server: Server, tabs: Callable[[], Tab]) -> None:
    tab = tabs()
    tab.expected = ("ERR_CONNECTION_REFUSED",)
    page = tab.open(own_server.address)
    settled(page)
    asked: list[str] = []

    def stay(dialog) -> None:  # type: ignore[no-untyped-def]
        asked.append(dialog.type)
        dialog.accept()

    page.on("dialog", stay)
    address, port = own_server.address, int(own_server.address.rstrip("/").rsplit(":", 1)[1])
    own_server.kill()
    page.get_by_label("Scale").select_option("dorian")
    expect(page.get_by_role("alert")).to_be_visible()
    page.goto("about:blank")
    assert asked == ["beforeunload"]
    own_server.start(port=port)
    page.goto(address)
    expect(page.get_by_role("img", name="Low end")).to_be_visible()
    settled(page)
    page.goto("about:blank")
    assert asked == ["beforeunload"]


def bass_notes(page: Page) -> list[str]:
    return [str(one.get_attribute("aria-label")) for one in page.get_by_role("button", name=re.compile("^Bass ")).all()]


def test_the_second_press_into_an_empty_grid_meets_its_cell(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address)
    new_track(page)
    settled(page)
    grid = page.get_by_role("group", name=re.compile("^Pattern of"))
    grid.scroll_into_view_if_needed()
    box = grid.bounding_box()
    assert box is not None
    # Presses at places on the screen, as a hand does: the second right after the first is there.
    places = [(box["x"] + 90 + 90 * i, box["y"] + box["height"] - 60) for i in range(3)]
    for count, (x, y) in enumerate(places, start=1):
        page.mouse.click(x, y)
        expect(page.get_by_role("button", name=re.compile("^Bass "))).to_have_count(count)
    names = {name.split(" at ")[0] for name in bass_notes(page)}
    assert len(names) == 1
    after = grid.bounding_box()
    assert after is not None
    assert (after["x"], after["y"]) == (box["x"], box["y"])
    settled(page)


def test_what_opens_a_menu_stays_where_it_is_when_a_line_of_it_is_chosen(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    page.get_by_role("button", name="Body sweep").click()
    page.get_by_role("tab", name="Chain", exact=True).click()
    opener = page.get_by_role("button", name="Add a processor", exact=True)
    stages = page.get_by_role("region", name="Chain of Body").get_by_role("listitem")
    for count, name in enumerate(("EQ", "Drive", "EQ"), start=1):
        opener.click()
        if count == 3:
            opener.evaluate("""opener => {
              const from = opener.getBoundingClientRect().y;
              window.juglantMoved = [];
              const see = () => {
                window.juglantMoved.push(opener.getBoundingClientRect().y - from);
                requestAnimationFrame(see);
              };
              requestAnimationFrame(see);
            }""")
        page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile(f"^{name} ")).click()
        expect(stages).to_have_count(count)
    settled(page)
    moved = np.array(page.evaluate("window.juglantMoved"))
    assert moved.size > 10
    assert np.max(np.abs(moved)) <= 2


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (1100, 800), (1100, 700)])
def test_the_window_does_not_scroll(width: int, height: int, server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().page
    page.set_viewport_size({"width": width, "height": height})
    for step in STEPS:
        page.goto(f"{server.address}{step}")
        expect(page.get_by_role("img", name="Low end")).to_be_visible()
        settled(page)
        page.mouse.move(width / 2, height / 2)
        page.mouse.wheel(0, 3000)
        page.keyboard.press("End")
        sizes = page.evaluate("[document.documentElement.scrollHeight, document.documentElement.scrollWidth]")
        assert sizes == [height, width], step
        assert page.evaluate("[scrollX, scrollY, document.body.scrollTop]") == [0, 0, 0], step


def test_findings_keep_their_places_under_the_pointer(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address)
    settled(page)
    cards = page.locator("aside.says .finding")
    places = {str(one.get_attribute("aria-label")): one.bounding_box() for one in cards.all()}
    first = cards.first
    title = str(first.get_attribute("aria-label"))
    at_length(first)
    places = {str(one.get_attribute("aria-label")): one.bounding_box() for one in cards.all()}
    first.get_by_role("button", name="Intended").click()
    expect(first.get_by_role("button", name="Not intended")).to_be_visible()
    settled(page)
    now = {str(one.get_attribute("aria-label")): one.bounding_box() for one in cards.all()}
    assert now == places
    # Once the pointer is elsewhere the list is in its own order again: what is intended stands last.
    page.mouse.move(500, 400)
    expect(cards.last).to_have_attribute("aria-label", title)


def sound_file(path: Path, hz: float) -> Path:
    time = np.arange(24000) / 48000
    soundfile.write(path, 0.6 * np.sin(2 * np.pi * hz * time) * np.exp(-6 * time), 48000)
    return path


def test_what_loaded_sounds_replace_is_said_and_taken_back(
    server: Server, tabs: Callable[[], Tab], tmp_path: Path, solved: Track
) -> None:
    page = tabs().open(server.address)
    settled(page)
    files = [sound_file(tmp_path / name, 50 + i) for i, name in enumerate(("kick.wav", "sub.wav", "808.wav", "clap.wav"))]
    page.get_by_label("Sound files", exact=True).set_input_files(files)
    dialog = page.get_by_role("dialog")
    expect(dialog.get_by_role("combobox")).to_have_count(4)
    layers = ", ".join(layer.name for layer in solved.kick.layers)
    expect(dialog).to_contain_text(f"replaces the kick's layers: {layers}")
    expect(dialog).to_contain_text("replaces the source of the bass: sub")
    # Two answers for one place.
    dialog.get_by_label("Use of sub.wav").select_option("bass")
    dialog.get_by_label("Use of 808.wav").select_option("bass")
    expect(dialog.get_by_role("alert")).to_contain_text("There is one bass")
    add = dialog.get_by_role("button", name="Add 4 sounds")
    expect(add).to_be_disabled()
    dialog.get_by_label("Use of 808.wav").select_option("hit percussion")
    add.click()
    said = page.get_by_role("status").filter(has_text="4 sounds are added")
    expect(said).to_contain_text(f"replaces the kick's layers: {layers}")
    settled(page)
    assert [one["name"] for one in part_of(stored_track(server), "kick")["hit"]["layers"]] == ["kick"]
    said.get_by_role("button", name="Undo").click()
    settled(page)
    now = stored_track(server)
    assert [one["name"] for one in part_of(now, "kick")["hit"]["layers"]] == [one.name for one in solved.kick.layers]
    assert part_of(now, "bass")["instrument"]["source"] == solved.bass.source
    expect(page.get_by_role("status").filter(has_text="4 sounds are added")).to_have_count(0)


def test_tracks_are_put_away_brought_back_and_removed(own_server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(own_server.address)
    new_track(page)
    page.get_by_role("link", name="Your data").click()
    expect(page.get_by_text(str(own_server.data / DATABASE_NAME))).to_be_visible()
    here, away = (page.get_by_role("region", name=name, exact=True) for name in ("Tracks", "Tracks put away"))
    here.get_by_role("button", name="Put away: Tidewater Loop").click()
    expect(away).to_contain_text("Tidewater Loop")
    page.get_by_role("status").filter(has_text="is put away").get_by_role("button", name="Undo").click()
    expect(here).to_contain_text("Tidewater Loop")
    # The one that is open, and then the last: there is always a way on.
    here.get_by_role("button", name="Put away: Untitled").click()
    expect(here).to_contain_text("open now")
    away.get_by_role("button", name="Remove for good: Untitled").click()
    expect(away).to_contain_text("None")
    here.get_by_role("button", name="Put away: Tidewater Loop").click()
    expect(page.get_by_role("heading", name="No track is here")).to_be_visible()
    page.get_by_role("button", name="Bring back Tidewater Loop").click()
    expect(page.get_by_role("img", name="Low end")).to_be_visible()
    settled(page)
