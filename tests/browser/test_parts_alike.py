"""One bench for every part: kick and bass placed, muted and moved in lists as any other; the bass as layers of its own."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from page import Tab, downloaded, settled
from playwright.sync_api import Page, Route, expect
from support import Server

from juglant.core.model.track import Track
from juglant.core.types import Samples

RATE = 48000


def delivered(page: Page, folder: Path) -> tuple[list[str], dict[str, Samples]]:
    """The names in the zip in their order, and the stems of the two low parts before their ducks."""
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", folder)) as archive:
        names = archive.namelist()
        stems = {name: soundfile.read(io.BytesIO(archive.read(f"stems/{name}-before.wav")))[0] for name in ("kick", "bass")}
    return names, stems


def pads(page: Page) -> list[str]:
    return [text.split()[-1] for text in page.get_by_role("toolbar", name="Kit").get_by_role("button").all_inner_texts()]


def bench(page: Page, part: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name=re.compile(rf"(^|\s){part}$")).click()
    if part == "Kick":
        page.get_by_role("tab", name="In the loop").click()


def test_kick_and_bass_have_their_place_where_every_part_has_it(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    server.load(untouched)
    page = tabs().open(server.address)
    _, before = delivered(page, tmp_path)
    for part in ("Kick", "Bass"):
        bench(page, part)
        place = page.get_by_role("region", name="In the loop")
        start = place.get_by_role("slider", name="Start")
        start.focus()
        for _ in range(30):
            page.keyboard.press("ArrowRight")
        settled(page)
        expect(start).to_have_attribute("aria-valuetext", re.compile(r"^3\.0 ms"))
        place.get_by_role("checkbox", name="Turned over").check()
        settled(page)
        # Neither is panned, cut under the kick, or taken out.
        expect(place.get_by_role("slider", name="Pan")).to_have_count(0)
        expect(place.get_by_role("button", name=re.compile("^Remove"))).to_have_count(0)
    _, after = delivered(page, tmp_path)
    frames = round(0.003 * RATE)
    for name, stem in before.items():
        best = min(float(np.max(np.abs(after[name] + np.roll(stem, frames + off)))) for off in (-1, 0, 1))
        assert best < 0.01 * float(np.max(np.abs(stem)))

    bench(page, "Bass")
    assert pads(page)[:2] == ["Kick", "Bass"]
    page.get_by_role("region", name="In the loop").get_by_role("button", name="Earlier").click()
    settled(page)
    assert pads(page)[:2] == ["Bass", "Kick"]
    names, _ = delivered(page, tmp_path)
    assert names.index("stems/bass.wav") < names.index("stems/kick.wav")
    bench(page, "Bass")
    page.get_by_role("region", name="In the loop").get_by_role("checkbox", name="Mute").check()
    settled(page)
    _, silent = delivered(page, tmp_path)
    assert not silent["bass"].any()
    assert silent["kick"].any()


def test_the_bass_is_layers_of_its_own_each_with_band_and_chain(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    server.load(untouched)
    page = tabs().open(server.address)
    # The sound it is to begin with is still being made when it is chosen, and the bench is left meanwhile.
    held: list[Route] = []
    page.route(re.compile(r"/starts\?role=sub$"), lambda route: held.append(route))
    bench(page, "Bass")
    page.get_by_role("region", name="Bench of the bass").get_by_label("Source").select_option("own layers")
    bench(page, "Kick")
    page.wait_for_timeout(300)
    assert len(held) == 1
    held[0].continue_()
    bench(page, "Bass")
    layers = page.get_by_role("region", name="Layers of the bass")
    expect(layers.get_by_text("1 layer", exact=True)).to_be_visible()
    settled(page)
    _, plain = delivered(page, tmp_path)
    assert plain["bass"].any()

    bench(page, "Bass")
    layers.get_by_role("tab", name="Chain").click()
    layers.get_by_role("button", name="Add a processor").click()
    page.locator(".dropdown-menu.show").get_by_role("button", name=re.compile("^Drive ")).click()
    drive = layers.get_by_role("listitem", name="Drive").get_by_role("slider", name="Drive")
    drive.focus()
    page.keyboard.press("End")
    settled(page)
    page.keyboard.press("Space")
    by_pass = layers.get_by_role("button", name=re.compile("^By-pass Drive"))
    by_pass.click()
    expect(by_pass).to_have_attribute("aria-pressed", "true")
    page.get_by_role("banner").get_by_role("button", name="Stop").click()
    _, driven = delivered(page, tmp_path)
    power = {name: np.abs(np.fft.rfft(stems["bass"])) ** 2 for name, stems in (("plain", plain), ("driven", driven))}
    above = np.fft.rfftfreq(plain["bass"].size, 1 / RATE) > 150
    share = {name: float(one[above].sum() / one.sum()) for name, one in power.items()}
    assert 10 * np.log10(share["driven"] / share["plain"]) > 6

    # The line goes on through its own chain, and has no bus of layers beside it.
    bench(page, "Bass")
    expect(layers.get_by_role("tab", name="Bus")).to_have_count(0)
    expect(page.get_by_role("region", name="Chain", exact=True)).to_contain_text("the whole line before its level")
