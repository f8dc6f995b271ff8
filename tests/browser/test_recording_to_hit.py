"""From a recording to a hit, all of it on the page: caught before Record, cut, made to serve, tuned, put under the kick; a
loop read, corrected and written; another taken apart without its claps; alternates in turn; and all of it in the files."""

from __future__ import annotations

import io
import json
import re
import urllib.request
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile
from made_loops import made_loop
from page import Tab, settled
from playwright.sync_api import Page, expect
from support import Server, part_of, stored_track

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit

RATE, BPM, STRIKES = 48000, 126.0, 10
BEAT = 60 / BPM * RATE


def load(page: Page, name: str, sound: np.ndarray) -> None:
    data = io.BytesIO()
    soundfile.write(data, sound, RATE, format="WAV", subtype="FLOAT")
    file: Any = {"name": f"{name}.wav", "mimeType": "audio/wav", "buffer": data.getvalue()}
    page.get_by_label("Sound files", exact=True).set_input_files(file)
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    expect(row_of(page, name)).to_be_visible()


def row_of(page: Page, name: str):  # type: ignore[no-untyped-def]
    return page.get_by_role("list", name="Takes").get_by_role("listitem", name=name, exact=True)


def step(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Steps").get_by_role("link", name=name).click()
    settled(page)


def takes(server: Server) -> list[dict]:
    with urllib.request.urlopen(f"{server.address}api/takes", timeout=60) as answer:  # noqa: S310
        found: list[dict] = json.load(answer)
        return found


def sound_in(archive: zipfile.ZipFile, name: str) -> np.ndarray:
    audio, rate = soundfile.read(io.BytesIO(archive.read(name)), always_2d=True)
    assert rate == RATE
    return np.asarray(audio).mean(axis=1)


def strongest_hz(sound: np.ndarray, low: float, high: float) -> float:
    power = np.abs(np.fft.rfft(sound * np.hanning(sound.size), 1 << 18))
    hz = np.fft.rfftfreq(1 << 18, 1 / RATE)
    inside = (hz > low) & (hz < high)
    return float(hz[inside][np.argmax(power[inside])])


def record_ten(page: Page) -> None:
    """Ten strikes before anything is pressed but Arm; then what was heard is kept."""
    desk = page.get_by_role("region", name="Recorder")
    desk.get_by_role("button", name="Arm", exact=True).click()
    things = desk.get_by_role("group", name="Things to strike")
    expect(things).to_have_attribute("aria-busy", "false")
    for _ in range(STRIKES):
        things.get_by_role("button", name="Cushion").click()
        page.wait_for_timeout(900)
    desk.get_by_role("button", name="Record", exact=True).click()
    page.wait_for_timeout(500)
    desk.get_by_role("button", name="End recording").click()
    expect(page.get_by_text("from before Record was pressed").first).to_be_visible()
    desk.get_by_role("button", name="Disarm", exact=True).click()


def test_from_a_recording_to_a_hit(own_server: Server, tabs: Callable[[], Tab], solved: Track, tmp_path: Path) -> None:
    server = own_server
    server.load(with_kit(solved))
    page = tabs().open(server.address, "takes")
    assert takes(server) == []
    record_ten(page)
    assert [one["name"] for one in takes(server)] == ["Recorded 1"]
    row_of(page, "Recorded 1").get_by_role("button", name="Impacts").click()
    impacts = page.get_by_role("table", name="Impacts, the best first")
    expect(page.get_by_role("region", name="Impacts of Recorded 1").get_by_role("status")).to_contain_text("found")
    for at in range(2):
        impacts.get_by_role("button", name="Cut", exact=True).nth(at).click()
        expect(page.get_by_role("list", name="Takes").get_by_role("listitem")).to_have_count(2 + at)
    cuts = [one for one in takes(server) if (one["made_of"] or {}).get("way") == "cut"]
    assert len(cuts) == 2
    best = cuts[1]["name"]

    # Several strikes as one hit, in turn.
    page.get_by_role("button", name="Several as one hit").click()
    page.get_by_label("Mark Recorded 1", exact=True).check()
    several = page.get_by_role("region", name="Several as one hit")
    expect(several.get_by_role("status")).to_contain_text("strokes")
    several.get_by_label("Role").select_option("percussion")
    several.get_by_role("button", name="Use as a percussion").click()
    settled(page)

    # The best one is a hit, made a kick, tuned.
    row_of(page, best).get_by_role("button", name="Use it").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_role("combobox").select_option("hit percussion")
    dialog.get_by_role("button", name="Add").click()
    settled(page)
    step(page, "Hits")
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name=best).click()
    panel = page.get_by_role("region", name=f"Make {best} serve")
    panel.get_by_role("button", name="Make it a…").click()
    panel.get_by_label("Role").select_option("kick")
    panel.get_by_role("button", name="Make it a kick").click()
    settled(page)
    step(page, "Tune")
    tune = page.get_by_role("button", name=re.compile("^Tune (all|[A-Z])"))
    if tune.count():
        tune.first.click()
        settled(page)
    made = next(one for one in stored_track(server)["parts"] if one["name"] == best)
    assert len(made["hit"]["layers"][0]["chain"]) + len(made["hit"]["bus"]) >= 1

    # Under the demo's kick, by 40 %.
    step(page, "Hits")
    page.get_by_role("toolbar", name="Kit").get_by_role("button", name="Kick").first.click()
    page.get_by_role("tab", name="Fit").click()
    under = page.get_by_role("region", name="Another hit under Kick")
    under.get_by_label("Under Kick", exact=True).select_option(label=best)
    expect(under.get_by_role("status")).to_contain_text("as loud as before")
    before = part_of(stored_track(server), "kick")
    under.get_by_role("button", name="Put it under").click()
    settled(page)
    kick = part_of(stored_track(server), "kick")
    own = {one["id"] for one in before["hit"]["layers"]}
    joined = [one for one in kick["hit"]["layers"] if one["id"] not in own]
    assert joined
    assert joined[0]["source"]["take"] == cuts[1]["id"]

    # A reference loop read, corrected by a press, written: its hats by the alternates.
    step(page, "Takes")
    loop, truth = made_loop("broken", BPM)
    load(page, "Reference", loop)
    row_of(page, "Reference").get_by_role("button", name="Pattern").click()
    pattern = page.get_by_role("region", name="Pattern of Reference")
    expect(pattern.get_by_role("status")).to_contain_text("126 BPM, 2 bars")
    pattern.get_by_role("button", name="snare at 2.4 and 2/16", exact=True).click()
    pattern.get_by_label("kick goes to").select_option("nothing")
    pattern.get_by_label("hat goes to").select_option(label="Recorded 1")
    pattern.get_by_role("button", name="Write to the rows").click()
    settled(page)

    # Another loop without its claps where the track's own clap plays, then taken apart.
    other, _ = made_loop("four to the floor", BPM, number=2)
    load(page, "Older loop", other)
    row_of(page, "Older loop").get_by_role("button", name="Strokes").click()
    strokes = page.get_by_role("region", name="Strokes of Older loop")
    strokes.get_by_label("Row").select_option("snare")
    strokes.get_by_label("silent where it plays").select_option(label="Clap")
    expect(strokes.get_by_role("status").last).to_contain_text("4 strokes silenced where Clap plays")
    strokes.get_by_role("button", name="Keep it worked over").click()
    row_of(page, "Older loop worked").get_by_role("button", name="Pattern").click()
    worked = page.get_by_role("region", name="Pattern of Older loop worked")
    worked.get_by_role("button", name="Take it apart").click()
    expect(page.get_by_role("status").filter(has_text="slices in turn").first).to_be_visible()
    settled(page)

    step(page, "Deliver")
    with page.expect_download() as waiting:
        page.get_by_role("button", name="Download everything").click()
    path = tmp_path / "all.zip"
    waiting.value.save_as(path)
    with zipfile.ZipFile(path) as archive:
        look_at_the_files(archive, server, cuts[1]["id"], best, truth)


def look_at_the_files(
    archive: zipfile.ZipFile, server: Server, take: str, best: str, truth: set[tuple[str, float]]
) -> None:
    names = archive.namelist()
    track = json.loads(archive.read("track.json"))
    assert track["parts"] == stored_track(server)["parts"]
    # What was recorded is in the bundle, sample for sample.
    audio, rate = soundfile.read(io.BytesIO(archive.read(f"takes/{take}.wav")))
    address = f"{server.address}api/takes/{take}/sound.wav?sample_rate={rate}"
    with urllib.request.urlopen(address, timeout=60) as answer:  # noqa: S310
        there, _ = soundfile.read(io.BytesIO(answer.read()))
    np.testing.assert_allclose(audio[20:-400], there[20 : len(audio) - 400], atol=1e-6)

    # The made hit is a kick: most of it is low, and it lands as the kick does, on the tonic or in its key.
    made = next(one for one in track["parts"] if one["name"] == best)
    hit = sound_in(archive, f"hits/{made['id']}.wav")
    power = np.abs(np.fft.rfft(hit)) ** 2
    hz = np.fft.rfftfreq(hit.size, 1 / RATE)
    assert power[hz < 160].sum() > 0.5 * power.sum()
    kick = sound_in(archive, "kick.wav")
    assert 20 * np.log10(np.max(np.abs(kick))) == np.clip(20 * np.log10(np.max(np.abs(kick))), -1.1, -0.9)
    landed = strongest_hz(kick[round(0.12 * RATE) : round(0.4 * RATE)], 40, 90)
    assert abs(1200 * np.log2(landed / 58.27)) < 60

    # The alternates are delivered numbered, no two alike, and play where the loop's hats were, each in its turn.
    several = next(one for one in track["parts"] if one["name"] == "Recorded 1")
    turns = several["hit"]["velocity"]["robins"]
    files = [name for name in names if re.fullmatch(rf"hits/{several['id']}(_\d+)?\.wav", name)]
    assert len(files) == turns > 2
    sounds = [sound_in(archive, name)[: round(0.08 * RATE)] for name in files]
    for at, one in enumerate(sounds):
        for another in sounds[at + 1 :]:
            size = min(one.size, another.size)
            assert not np.allclose(one[:size], another[:size], atol=1e-3)
    hats = sorted(beat for row, beat in truth if row == "hat")
    assert [one["at_beats"] for one in several["strokes"] if one["at_beats"] < 8] == hats
    stem = sound_in(archive, f"stems/kit-{several['id']}.wav")
    for beat in hats[1:6]:
        place = round(beat * BEAT)
        window = stem[place - 960 : place + 2400]
        first = int(np.argmax(np.abs(window) > 0.15 * np.max(np.abs(window)))) - 960
        assert -10 <= first < 0.004 * RATE

    # The corrected stroke is in the MIDI of the clap, with those that were read.
    file = mido.MidiFile(file=io.BytesIO(archive.read("track.mid")))
    now, claps = 0, []
    for message in next(one for one in file.tracks if one.name == "clap"):
        now += message.time
        if message.type == "note_on":
            claps.append(now / file.ticks_per_beat)
    wanted = sorted({beat for row, beat in truth if row == "snare"} | {7.5})
    assert [one for one in claps if one < 8] == wanted

    # The loop is on rows of its own, and no clap of it is where the track's clap is.
    rows = [one for one in track["parts"] if one["name"].startswith("Older loop worked")]
    assert {one["name"].split()[-1] for one in rows} >= {"kick", "hat"}
    for one in rows:
        if one["name"].endswith("snare"):
            assert not {stroke["at_beats"] for stroke in one["strokes"]} & set(claps)
    hat = next(one for one in rows if one["name"].endswith("hat"))
    places = np.array([one["at_beats"] % 4 for one in hat["strokes"]])
    assert set(places) <= {0.5, 1.5, 2.5, 3.5}
