"""A reference loop on the page: its pattern read over its waveform, corrected by click, written to the rows, taken back."""

from __future__ import annotations

import io
from collections.abc import Callable

import numpy as np
import soundfile
from made_loops import made_loop
from near_meters import RATE
from page import Tab, settled
from playwright.sync_api import expect
from support import Server, part_of, stored_track

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit


def strokes(server: Server, part: str) -> list[float]:
    return [one["at_beats"] for one in part_of(stored_track(server), part)["strokes"]]


def test_a_pattern_is_read_corrected_and_written(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(with_kit(untouched))
    page = tabs().open(server.address, "takes")
    loop, truth = made_loop("broken", 126)
    data = io.BytesIO()
    soundfile.write(data, loop, RATE, format="WAV", subtype="FLOAT")
    file = {"name": "Two bars.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    row = page.get_by_role("list", name="Takes").get_by_role("listitem", name="Two bars", exact=True)
    row.get_by_role("button", name="Pattern").click()
    panel = page.get_by_role("region", name="Pattern of Two bars")
    expect(panel.get_by_role("status")).to_contain_text("126 BPM, 2 bars")
    kicks = panel.get_by_role("group", name="Strokes of the kick")
    expect(kicks.get_by_role("button", pressed=True)).to_have_count(6)
    # One is taken out, one is put in.
    kicks.get_by_role("button", name="kick at 1.3 and 2/16", exact=True).click()
    kicks.get_by_role("button", name="kick at 2.4", exact=True).click()
    before = {part: strokes(server, part) for part in ("kick", "clap", "hat")}
    panel.get_by_label("hat goes to").select_option("nothing")
    panel.get_by_role("button", name="Write to the rows").click()
    settled(page)
    bars = stored_track(server)["sheet"]["bars"]
    want = sorted({at for row_, at in truth if row_ == "kick"} - {2.5} | {7.0})
    assert strokes(server, "kick") == [at + 8 * turn for turn in range(bars // 2) for at in want]
    assert strokes(server, "clap") == [at + 4 * bar for bar in range(bars) for at in (1.0, 3.0)]
    assert strokes(server, "hat") == before["hat"]
    velocities = [one["velocity"] for one in part_of(stored_track(server), "kick")["strokes"]]
    assert np.ptp(velocities) > 0
    page.get_by_role("status").filter(has_text="is written").get_by_role("button", name="Undo").click()
    settled(page)
    assert {part: strokes(server, part) for part in before} == before


def test_what_has_no_pattern_says_why(server: Server, tabs: Callable[[], Tab], untouched: Track) -> None:
    server.load(untouched)
    page = tabs().open(server.address, "takes")
    data = io.BytesIO()
    time = np.arange(4 * RATE) / RATE
    soundfile.write(data, 0.2 * np.sin(2 * np.pi * 330 * time), RATE, format="WAV", subtype="FLOAT")
    file = {"name": "One tone.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)  # type: ignore[arg-type]
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    row = page.get_by_role("list", name="Takes").get_by_role("listitem", name="One tone", exact=True)
    row.get_by_role("button", name="Pattern").click()
    panel = page.get_by_role("region", name="Pattern of One tone")
    expect(panel.get_by_role("status")).to_contain_text("hardly anything begins in it")
    expect(panel.get_by_role("button", name="Write to the rows")).to_have_count(0)
