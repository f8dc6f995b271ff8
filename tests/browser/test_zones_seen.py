"""The untouched demo by zones: set on the page, planned in one press, and every zone recomputed from the files by scipy."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from outside_room import RATE, response_db
from page import Tab, bench_tab, settled
from playwright.sync_api import Page, expect
from reference_clearance import clearance_db
from support import Server
from test_separation import begins_early_s, duck_csv, stems_of

ZONES = (("shared in time", "101", 6.0), ("the bass's", "224", -10.0))


def typed(page: Page, name: str, value: str) -> None:
    """A value typed into a ruler."""
    ruler = page.get_by_role("slider", name=name, exact=True)
    ruler.focus()
    page.keyboard.press("Enter")
    page.keyboard.type(value)
    page.keyboard.press("Enter")
    expect(ruler).to_have_attribute("aria-valuenow", value)


def test_owners_by_zone_from_the_choice_to_the_files(server: Server, tabs: Callable[[], Tab], tmp_path: Path) -> None:
    page = tabs().open(server.address, "track")
    settled(page)
    page.get_by_role("button", name="Start over").click()
    settled(page)
    bench_tab(page, "Sheet")
    page.get_by_label("Who owns the sub").select_option("zones")
    zones = page.get_by_role("region", name="Owners by zone")
    expect(zones).to_be_visible()
    # Three to begin with; one of them goes.
    expect(page.get_by_test_id("zone-3")).to_be_visible()
    page.get_by_role("button", name="Remove zone 1").click()
    expect(page.get_by_test_id("zone-3")).to_have_count(0)
    # An end that is typed past its neighbour stops beside it, and nothing is refused.
    for number, (whose, to_hz, _) in enumerate(ZONES, 1):
        page.get_by_label(f"Zone {number}", exact=True).select_option(label=whose)
        typed(page, f"Zone {number} up to", to_hz)
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Separate").click()
    typed(page, "No deeper than", "8")
    settled(page)
    expect(zones).to_contain_text("short by")
    page.get_by_role("button", name="Plan carve and duck", exact=True).click()
    for number in range(1, len(ZONES) + 1):
        expect(page.get_by_test_id(f"zone-{number}")).to_contain_text("reached")
    settled(page)
    expect(page.get_by_role("group", name="Response of the carve on the kick")).to_be_visible()
    stems, _, report = stems_of(page, tmp_path)
    clearance, low = report["clearance"], 20.0
    assert clearance["owner"] == "zones"
    for (_, to_hz, goal_db), zone in zip(ZONES, clearance["zones"], strict=True):
        assert zone["goal_db"] == goal_db
        spoken = clearance_db(stems, "shared", RATE, clearance["strokes_s"], (low, float(to_hz)))
        assert spoken == pytest.approx(zone["after_db"], abs=0.5)
        assert (spoken - goal_db) * (1 if goal_db > 0 else -1) > -0.6
        low = float(to_hz)
    for before, carved, deepest in (("bass-before", "bass-unducked", 8.1), ("kick-before", "kick", 12.1)):
        hz, gain_db = response_db(stems[before], stems.get(carved, stems["bass"]), 30)
        assert gain_db.max() <= 0.4
        assert gain_db[hz > 58].min() >= -deepest - 0.1
    assert report["carve"]["kick_moves"]
    settings = report["duck"]["settings"]
    assert settings["on"]
    early = begins_early_s(duck_csv(tmp_path), clearance["strokes_s"], stems["bass"].size / RATE)
    assert early <= (settings["fall_ms"] + 2) / 1000 + 0.001
    # A zone is joined to the next, and split again; undone in one step each.
    page.get_by_role("button", name="Remove zone 2").click()
    expect(page.get_by_test_id("zone-2")).to_have_count(0)
    page.get_by_role("button", name="Split zone 1").click()
    expect(page.get_by_test_id("zone-2")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("zone-2")).to_have_count(0)
