"""Takes on the page: a recording kept, its impacts ranked for a role, heard by keys, cut to the sample, and used."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import soundfile
from near_meters import RATE, made_snare, made_tom
from page import Tab, downloaded, listen, settled, taken_down
from playwright.sync_api import expect
from support import Server

from juglant.core.model.track import Track

BEGINS_S = (0.3, 2.1, 4.0, 5.7)


def recording() -> np.ndarray:
    """Two toms and two snares, the second tom the strongest."""
    audio = np.zeros(round(7.6 * RATE))
    sounds = (made_tom(98), made_snare(205), made_tom(110), made_snare(190))
    for begin, sound, level in zip(BEGINS_S, sounds, (0.4, 0.3, 0.8, 0.5), strict=True):
        part = sound[: round(1.5 * RATE)]
        audio[round(begin * RATE) : round(begin * RATE) + part.size] += level * part / np.max(np.abs(part))
    return audio


def test_a_recording_is_kept_and_its_best_impact_cut_and_used(
    server: Server, tabs: Callable[[], Tab], untouched: Track, tmp_path: Path
) -> None:
    server.load(untouched)
    page = tabs().open(server.address)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Takes").click()
    audio = recording()
    data = io.BytesIO()
    soundfile.write(data, audio, RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Tins and skins.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    row = page.get_by_role("list", name="Takes").get_by_role("listitem", name="Tins and skins", exact=True)
    row.get_by_role("button", name="Impacts").click()
    impacts = page.get_by_role("region", name="Impacts of Tins and skins")
    expect(impacts).to_contain_text("4 found")
    impacts.get_by_label("Ranked for").select_option("tom")
    rows = impacts.get_by_role("row").filter(has=page.get_by_role("button", name=re.compile("^Hear impact")))
    expect(rows).to_have_count(4)
    # The strongest tom first, then the other; what is a snare says so.
    expect(rows.nth(0).get_by_role("button", name="Hear impact 3")).to_be_visible()
    expect(rows.nth(1).get_by_role("button", name="Hear impact 1")).to_be_visible()
    expect(rows.nth(2)).to_contain_text("rather a")
    # Its key plays it: what is heard is the second tom, nothing before and after.
    rows.nth(0).get_by_role("button", name="Hear impact 3").focus()
    listen(page, 1.8)
    page.keyboard.press("z")
    heard, rate = taken_down(page)
    spectrum = np.abs(np.fft.rfft(heard))
    strongest = float(np.fft.rfftfreq(heard.size, 1 / rate)[np.argmax(spectrum)])
    assert 90 < strongest < 130

    rows.nth(0).get_by_role("button", name="Cut").click()
    page.get_by_role("list", name="Takes").get_by_role("listitem", name="Tins and skins 3", exact=True).wait_for()
    rows.nth(0).get_by_role("button", name="As a tom").click()
    expect(page.get_by_text("Tins and skins 3 is a tom now.")).to_be_visible()
    settled(page)
    # Delivered, it begins with the sound itself: to the sample where it was planted, no click before it.
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    with zipfile.ZipFile(downloaded(page, "Download everything", tmp_path)) as archive:
        (name,) = [one for one in archive.namelist() if one.startswith("hits/tom")]
        cut, _ = soundfile.read(io.BytesIO(archive.read(name)))
    first = round(BEGINS_S[2] * RATE)
    planted = audio[first - 480 : first + round(0.3 * RATE)]
    lags = np.correlate(cut[: round(0.2 * RATE)], planted[480 : 480 + round(0.1 * RATE)], mode="valid")
    lag = int(np.argmax(lags))
    assert 0 <= lag < 0.004 * RATE
    # Its first millisecond has an edge, so that nothing clicks; from there on it is what was recorded.
    later = round(0.001 * RATE)
    part = cut[lag + later : lag + round(0.1 * RATE)]
    assert np.corrcoef(part, planted[480 + later : 480 + later + part.size])[0, 1] > 0.9999
    assert np.max(np.abs(cut[: max(1, lag - 48)])) < 1e-3
    # Taken back, the track is as it was, and the take stays.
    page.get_by_role("navigation", name="Steps").get_by_role("button", name="Undo").click()
    settled(page)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    expect(page.get_by_role("toolbar", name="Kit").get_by_role("button", name="Tins and skins 3")).to_have_count(0)
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Takes").click()
    # The server may have others' takes by now: those of this recording are the two.
    takes = page.get_by_role("list", name="Takes").get_by_role("listitem", name=re.compile("^Tins and skins"))
    expect(takes).to_have_count(2)


def test_a_recording_without_impacts_says_so(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    seconds = np.arange(3 * RATE) / RATE
    data = io.BytesIO()
    swell = 0.2 * seconds / 3 * np.sin(2 * np.pi * 220 * seconds)
    soundfile.write(data, swell, RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Only a swell.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    row = page.get_by_role("list", name="Takes").get_by_role("listitem", name="Only a swell", exact=True)
    row.get_by_role("button", name="Impacts").click()
    expect(page.get_by_role("region", name="Impacts of Only a swell")).to_contain_text("Nothing begins in it")
