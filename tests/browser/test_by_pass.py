"""By-pass on the page: what plays is recorded on both sides and is equally loud; edits keep it, a changed chain ends it."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyloudnorm
import pytest
from page import FADED_IN_S, TAKEN_OVER_S, Tab, heard, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server

from juglant.core.chain.saturate import Saturate
from juglant.core.model.track import Track

BAR_S = 4 * 60 / 126
# Of the demo: its bars are not alike, and what is matched is the whole loop.
LOOP_BARS = 4


def loudness(audio: np.ndarray, rate: int) -> float:
    return float(pyloudnorm.Meter(rate).integrated_loudness(np.tile(audio, 3)))


def above_1k_db(audio: np.ndarray, rate: int) -> float:
    """Energy above 1 kHz of all, by one spectrum (numpy)."""
    power = np.abs(np.fft.rfft(audio)) ** 2
    return 10 * float(np.log10(power[np.fft.rfftfreq(audio.size, 1 / rate) > 1000].sum() / power.sum()))


@pytest.fixture
def driven(server: Server, solved: Track) -> Server:
    """The demo with its kick bound and driven hard."""
    kick = solved.kick.model_copy(update={"bind": True, "bus": (Saturate(drive_db=24.0, curve="hard"),)})
    server.load(solved.having(kick=kick))
    return server


def playing(page: Page) -> None:
    page.keyboard.press("a")
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)


def next_bar(page: Page, bars: int = 1) -> tuple[np.ndarray, int]:
    heard(page, TAKEN_OVER_S)
    return heard(page, bars * BAR_S)


def test_a_stage_is_left_out_at_matched_loudness_until_its_chain_changes(driven: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(driven.address, "hits")
    settled(page)
    page.get_by_role("tab", name="Bus").click()
    playing(page)
    page.keyboard.press("k")
    as_it_is, rate = next_bar(page)
    by_pass = page.get_by_role("button", name="By-pass Drive of The bus")
    by_pass.click()
    compared = page.get_by_role("group", name="Compared: Drive of The bus")
    expect(compared.get_by_role("button", name="Without")).to_have_attribute("aria-pressed", "true")
    expect(compared.get_by_role("status")).to_contain_text("turned down")
    without, _ = next_bar(page)
    page.keyboard.press("w")
    expect(compared.get_by_role("button", name="With", exact=True)).to_have_attribute("aria-pressed", "true")
    with_it, _ = next_bar(page)
    # Another sound, equally loud; neither louder than the track as it is, the driven side quieter.
    assert above_1k_db(without, rate) < above_1k_db(with_it, rate) - 3
    assert loudness(without, rate) == pytest.approx(loudness(with_it, rate), abs=0.5)
    assert loudness(with_it, rate) < loudness(as_it_is, rate) - 1
    # A ruler is moved: the comparison follows.
    page.get_by_role("slider", name="Drive").first.focus()
    page.keyboard.press("Home")
    listen(page, 3)
    expect(compared.get_by_role("status")).to_contain_text("changes nothing")
    changing, _ = taken_down(page)
    # Not for a moment as loud as the driven kick is unmatched.
    assert np.max(np.abs(changing)) < 1.1 * max(np.max(np.abs(with_it)), np.max(np.abs(without)))
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(compared.get_by_role("status")).to_contain_text("turned down")
    # What stood at its place is gone: it ends by itself and says so, and the level is back.
    page.get_by_role("button", name="Remove Drive").click()
    expect(page.get_by_role("status").filter(has_text="has ended")).to_be_visible()
    expect(compared).to_have_count(0)


def test_a_part_and_a_layer_are_left_out_and_come_back_as_they_were(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "hits")
    settled(page)
    playing(page)
    before, rate = next_bar(page, LOOP_BARS)
    page.get_by_role("tab", name="In the loop").click()
    page.get_by_role("button", name="By-pass Kick", exact=True).click()
    compared = page.get_by_role("group", name="Compared: Kick")
    expect(compared.get_by_role("status")).to_contain_text("turned down")
    bare, _ = next_bar(page, LOOP_BARS)
    compared.get_by_role("button", name="With", exact=True).click()
    whole, _ = next_bar(page, LOOP_BARS)
    assert loudness(bare, rate) == pytest.approx(loudness(whole, rate), abs=0.5)
    low = np.abs(np.fft.rfftfreq(bare.size, 1 / rate) - 57) < 12
    assert np.sum(np.abs(np.fft.rfft(bare))[low] ** 2) < 0.95 * np.sum(np.abs(np.fft.rfft(whole))[low] ** 2)
    compared.get_by_role("button", name="End").click()
    expect(compared).to_have_count(0)
    again, _ = next_bar(page, LOOP_BARS)
    assert loudness(again, rate) == pytest.approx(loudness(before, rate), abs=0.3)
    # Nothing of it was stored.
    expect(page.get_by_role("button", name="Undo", exact=True)).to_be_disabled()
