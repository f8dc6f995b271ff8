"""A kit of twelve rows made on the page from starts: near and far, balanced by typed loudness, delivered without a clip."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pyloudnorm
import pytest
import soundfile
from page import Tab, downloaded, listen, settled, taken_down
from playwright.sync_api import Locator, Page, expect
from scipy import signal
from support import Server

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit

RATE = 48000
# Role, start, asked loudness beside the kick in LU, how far away in percent; the second clap is kept behind the first.
ROWS: tuple[tuple[str, str, float, int], ...] = (
    ("Clap", "Mooring", -14, 15),
    ("Clap", "Quorum", -18, 45),
    ("Snare", "Gangway", -15, 0),
    ("Hat", "Tinder", -20, 10),
    ("Open hat", "Halyard", -19, 25),
    ("Tom", "Barrel", -17, 60),
    ("Tom", "Gourd", -19, 80),
    ("Percussion", "Marble", -22, 35),
    ("Percussion", "Calabash", -24, 100),
    ("Percussion", "Grain", -25, 5),
)


def typed(ruler: Locator, value: float) -> None:
    ruler.focus()
    ruler.page.keyboard.press("Enter")
    ruler.page.keyboard.type(str(value))
    ruler.page.keyboard.press("Enter")


def added(page: Page, role: str, start: str) -> str:
    """A hit from a start, on its place in the loop; its name."""
    pads = page.get_by_role("toolbar", name="Kit")
    pads.get_by_role("button", name="Add a hit").click()
    menu = page.locator(".dropdown-menu.show")
    menu.get_by_role("radio", name=role, exact=True).click()
    menu.get_by_role("button", name=re.compile(rf"^{start}\b")).first.click()
    expect(menu).to_have_count(0)
    settled(page)
    name = page.locator("main h2").first.inner_text()
    page.get_by_role("tab", name="In the loop").click()
    return name


def shown(page: Page, name: str) -> Locator:
    """A part's place in the loop, its bench opened at its pad."""
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name=re.compile(rf"(^|\s){name}$")).click()
    page.get_by_role("tab", name="In the loop").click()
    return standing(page, name)


def balanced(region: Locator, beside_kick_lu: float) -> None:
    beside = region.get_by_label(re.compile("beside the kick, LU$"))
    beside.fill(str(beside_kick_lu))
    beside.press("Enter")
    settled(region.page)
    expect(beside).to_have_value(f"−{-beside_kick_lu:.1f}")


def standing(page: Page, name: str) -> Locator:
    return page.get_by_role("region", name=f"Where {name} stands", exact=True)


def lufs(audio: np.ndarray) -> float:
    both = audio if audio.ndim == 2 else np.stack((audio, audio), axis=1)
    return float(pyloudnorm.Meter(RATE).integrated_loudness(np.concatenate((both, both))))


def direct_to_room_db(stem: np.ndarray) -> float:
    """Of a sound from the middle: what the sides differ by is its room's alone, and half of that."""
    low, high = 350, 1500
    left, right = signal.sosfilt(signal.butter(6, (low, high), "bandpass", fs=RATE, output="sos"), stem.T)
    middle, side = float(np.mean(((left + right) / 2) ** 2)), float(np.mean(((left - right) / 2) ** 2))
    return 10 * float(np.log10((middle - side) / (2 * side)))


def test_twelve_rows_near_and_far_are_as_loud_as_asked_and_never_clip(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    server.load(untouched)
    page = tabs().open(server.address)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    asked: dict[str, float] = {}
    for role, start, beside_kick_lu, far_pct in ROWS:
        name = added(page, role, start)
        assert name not in asked
        asked[name] = beside_kick_lu
        region = standing(page, name)
        if far_pct:
            typed(region.get_by_role("slider", name="Near to far"), far_pct)
            settled(page)
        if role == "Clap" and len(asked) == 2:
            # Chosen where it stands, it stays there; only what it is counted from changes.
            region.get_by_label("Kept behind").select_option("Clap")
            expect(region.get_by_role("slider", name="Behind Clap")).to_have_attribute("aria-valuenow", "30")
            settled(page)
        balanced(region, beside_kick_lu)
    assert len(asked) + 2 == 12

    # The front clap goes back, and the other goes with it: as far apart as is stated.
    typed(shown(page, "Clap").get_by_role("slider", name="Near to far"), 40)
    settled(page)
    second = list(asked)[1]
    figures = shown(page, second).get_by_role("region", name=f"Where {second} stands, measured")
    expect(figures).to_contain_text("30 %behind Clap")
    expect(figures).to_contain_text(re.compile(r"\+7\.[12] dBless direct to room than Clap"))
    for name in list(asked)[:2]:
        balanced(shown(page, name), asked[name])

    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        stems = {
            name: soundfile.read(io.BytesIO(archive.read(name)))[0] for name in archive.namelist() if name.endswith(".wav")
        }
    kit = {name: stems[f"stems/kit-{name.lower().replace(' ', '-')}.wav"] for name in asked}
    kick_lufs = lufs(stems["stems/kick.wav"])
    assert {name: lufs(one) - kick_lufs for name, one in kit.items()} == pytest.approx(asked, abs=1.0)
    # Nothing reaches full scale, between samples either.
    for name, audio in stems.items():
        assert np.max(np.abs(signal.resample_poly(audio, 4, 1, axis=0))) < 1.0, name
    front, back = (direct_to_room_db(kit[name]) for name in list(asked)[:2])
    assert front - back == pytest.approx(7.2, abs=2.5)


def test_a_pad_is_heard_as_far_away_as_its_part_stands(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits")
    tails = []
    for far_pct in (0, 75):
        region = shown(page, "Clap")
        typed(region.get_by_role("slider", name="Near to far"), far_pct)
        settled(page)
        listen(page, 1.2)
        page.keyboard.press("x")
        audio, rate = taken_down(page)
        begins = int(np.argmax(np.abs(audio) > 0.1 * np.max(np.abs(audio))))
        later = audio[begins + round(0.15 * rate) : begins + round(0.45 * rate)]
        tails.append(10 * np.log10(np.sum(later**2) / np.sum(audio**2) + 1e-12))
    # What rings on after 150 ms is the room, which is as strong as the clap by then.
    assert tails[1] > tails[0] + 6
