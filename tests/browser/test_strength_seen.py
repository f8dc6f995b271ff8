"""The strength strip: what it says of each stroke is what is heard when it is pressed."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
import pytest
from page import Tab, listen, settled, taken_down
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit

SAYS = re.compile(r"^Hear velocity (\d+): ([+−]?[\d.]+) dB, bright at ([\d.]+) Hz$")


def test_what_the_strip_says_of_a_stroke_is_what_is_heard(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name=re.compile(r"(^|\s)Clap$")).click()
    page.get_by_role("tab", name="Strength").click()
    strip = page.get_by_role("group", name="Strength strip, softest to hardest").get_by_role("button")
    expect(strip).to_have_count(16)
    said = {}
    for bar in strip.all():
        found = SAYS.match(str(bar.get_attribute("aria-label")))
        assert found is not None
        said[int(found[1])] = (float(found[2].replace("−", "-")), float(found[3]))
    assert (min(said), max(said), said[127][0]) == (1, 127, 0)
    levels = [said[velocity][0] for velocity in sorted(said)]
    assert levels == sorted(levels)
    heard = {}
    for velocity in (43, 127):
        listen(page, 1.2)
        strip.nth(sorted(said).index(velocity)).focus()
        page.keyboard.press("Enter")
        audio, _ = taken_down(page)
        heard[velocity] = 10 * np.log10(np.sum(audio**2))
    assert heard[43] - heard[127] == pytest.approx(said[43][0], abs=1.5)
    # No range: every stroke is as loud, and the strip says so once it is measured again.
    page.get_by_role("region", name="Strength").get_by_role("slider", name="Range").focus()
    page.keyboard.press("Home")
    settled(page)
    expect(strip.first).to_have_attribute("aria-label", re.compile(r"^Hear velocity 1: −[0-4]\.\d dB"))
