"""Roots of the bars on the page: proposed from a part, heard against it, taken, and the line put on them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from page import Tab, bench_tab, heard, listen, settled
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit, with_targets


def test_roots_are_proposed_taken_and_put_under_the_kicks(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_targets(with_kit(solved)))
    page = tabs().open(server.address, "track")
    settled(page)
    bench_tab(page, "Chords")
    roots = page.get_by_role("region", name="Roots of the bars")
    under = roots.get_by_role("button", name="A root under every kick")
    expect(under).to_be_disabled()
    # Typed: E flat in bar 2.
    roots.get_by_label("Bar 2", exact=True).select_option("3")
    settled(page)
    expect(under).to_be_enabled()
    roots.get_by_label("Part the roots are proposed from").select_option("pad")
    expect(roots.get_by_text("%").first).to_be_visible()
    listen(page, 3)
    roots.get_by_role("button", name="Hear them against it").click()
    played, _ = heard(page, 1)
    assert np.max(np.abs(played)) > 0.001
    roots.get_by_role("button", name="Take them").click()
    expect(roots.get_by_label("Bar 2", exact=True)).to_have_value("10")
    settled(page)
    under.click()
    expect(page.get_by_role("status").filter(has_text="put on the root of the bar")).to_be_visible()
    settled(page)
    # The same again changes nothing, and says so.
    under.click()
    expect(page.get_by_role("status").filter(has_text="nothing was changed")).to_be_visible()
