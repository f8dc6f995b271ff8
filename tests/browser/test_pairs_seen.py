"""Any two parts on the page: compared zone by zone, heard, the least cut taken as one step, and undone."""

from __future__ import annotations

import re
from collections.abc import Callable

from page import Tab, bench_tab, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit, with_targets


def test_two_parts_are_compared_and_the_least_cut_is_heard_and_taken(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(with_targets(with_kit(solved)))
    tab = tabs()
    page = tab.open(server.address, "separate")
    settled(page)
    bench_tab(page, "Other parts")
    pairs = page.get_by_role("region", name="Any two parts")
    pairs.get_by_role("button", name="Compare two").click()
    expect(pairs.get_by_role("table", name="Kick over Bass by zone")).to_be_visible()
    pairs.get_by_label("Part that has the room").select_option("pad")
    pairs.get_by_label("Part that gives way").select_option("stab")
    row = pairs.get_by_role("table", name="Pad over Stab by zone").get_by_role("row").filter(has_text="280 to 560 Hz")
    expect(row).to_contain_text(re.compile(r"−\d+\.\d dB at \d+ Hz"))
    row.get_by_role("button", name="Hear: box").click()
    row.get_by_role("button", name="Take: box").click()
    settled(page)
    # It is clear by the goal now, and no cut is offered there.
    expect(row).to_contain_text(re.compile(r"\+(5\.9|6\.\d) dB"))
    expect(row.get_by_role("button")).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    settled(page)
    expect(row.get_by_role("button", name="Take: box")).to_be_enabled()
    # The other way round is another question.
    pairs.get_by_role("button", name="The other way round").click()
    expect(pairs.get_by_role("table", name="Stab over Pad by zone")).to_be_visible()
    assert tab.troubles == []
