"""Room for a featured part on the page: made in one press, said, shown by key and part, and undone in one."""

from __future__ import annotations

import re
from collections.abc import Callable

from page import Tab, bench_tab, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit, with_targets


def test_others_give_way_to_a_tom_in_one_step(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_targets(with_kit(solved)))
    page = tabs().open(server.address, "duck")
    settled(page)
    bench_tab(page, "Featured part")
    room = page.get_by_role("region", name="Room for a featured part")
    table = room.get_by_role("table", name="Who is ducked by what")
    expect(table.get_by_role("columnheader", name="by kick")).to_be_visible()
    expect(table.get_by_role("columnheader", name="by tom")).to_have_count(0)
    room.get_by_label("Featured part").select_option("tom")
    room.get_by_role("button", name="Make room for it").click()
    expect(page.get_by_role("status").filter(has_text=re.compile(r"is ducked by \d"))).to_be_visible()
    settled(page)
    expect(table.get_by_role("columnheader", name="by tom")).to_be_visible()
    expect(table.get_by_role("row", name=re.compile(r"^Stab .*−\d"))).to_be_visible()
    page.get_by_role("button", name="Undo").click()
    settled(page)
    expect(table.get_by_role("columnheader", name="by tom")).to_have_count(0)
