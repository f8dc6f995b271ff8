"""On the page: a drum part worked over, recordings in turn, a hit under another, a loop taken apart."""

from __future__ import annotations

import io
import json
import urllib.request
from collections.abc import Callable
from typing import Any

import numpy as np
import soundfile
from made_loops import kit, made_loop
from near_meters import RATE, made_tom
from page import Tab, heard, listen, settled, taken_down
from playwright.sync_api import Page, expect
from support import Server, part_of

from juglant.core.model.track import Track
from juglant.demo.kit import with_kit

BPM = 126.0


def wav(sound: np.ndarray) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, sound, RATE, format="WAV", subtype="FLOAT")
    return out.getvalue()


def load(page: Page, **sounds: np.ndarray) -> None:
    files: Any = [{"name": f"{name}.wav", "mimeType": "audio/wav", "buffer": wav(one)} for name, one in sounds.items()]
    page.get_by_label("Sound files", exact=True).set_input_files(files)
    page.get_by_role("dialog").get_by_role("button", name="Only keep").click()
    for name in sounds:
        expect(page.get_by_role("listitem", name=name, exact=True)).to_be_visible()


def track_now(server: Server) -> dict[str, Any]:
    with urllib.request.urlopen(f"{server.address}api/tracks", timeout=60) as answer:  # noqa: S310
        newest = json.load(answer)[0]["id"]
    with urllib.request.urlopen(f"{server.address}api/tracks/{newest}", timeout=60) as answer:  # noqa: S310
        found: dict[str, Any] = json.load(answer)["track"]
    return found


def take_sound(server: Server, name: str) -> np.ndarray:
    with urllib.request.urlopen(f"{server.address}api/takes", timeout=60) as answer:  # noqa: S310
        made = next(one for one in json.load(answer) if one["name"] == name)
    address = f"{server.address}api/takes/{made['id']}/sound.wav?sample_rate={RATE}"
    with urllib.request.urlopen(address, timeout=60) as answer:  # noqa: S310
        return np.asarray(soundfile.read(io.BytesIO(answer.read()), always_2d=True)[0]).mean(axis=1)


def small_loop(number: int) -> tuple[np.ndarray, list[int]]:
    """A loop with three snares that are hardly there, between its strokes."""
    loop, _ = made_loop("broken", BPM, number)
    step, small = 60 / BPM / 4, 0.03 * kit(2)["snare"]
    places = [round(at * step * RATE) for at in (3, 11, 19)]
    for at in places:
        loop[at : at + small.size] += small
    return loop, places


def test_a_drum_part_is_worked_over_heard_and_kept(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_kit(solved))
    loop, small = small_loop(0)
    page = tabs().open(server.address, "takes")
    load(page, Beatwork=loop)
    page.get_by_role("listitem", name="Beatwork", exact=True).get_by_role("button", name="Strokes").click()
    panel = page.get_by_role("region", name="Strokes of Beatwork")
    expect(panel.get_by_role("img", name="Beatwork: 19 strokes, 3 small between them")).to_be_visible()
    expect(panel.get_by_role("button", name="Keep it worked over")).to_be_disabled()
    panel.get_by_label("Row").select_option("snare")
    panel.get_by_role("slider", name="Small events").fill("-60")
    events = panel.get_by_role("list", name="Small events").get_by_role("button", pressed=True)
    expect(events).to_have_count(3)
    events.first.click()
    expect(panel.get_by_role("status").last).to_contain_text("2 small events between the strokes taken out")
    panel.get_by_role("list", name="Small events").get_by_role("button", pressed=False).first.click()
    panel.get_by_label("Replaced by").select_option(label="Tom")
    panel.get_by_label("Old to new").fill("100")
    done = "3 small events between the strokes taken out; 4 strokes 100 % Tom"
    expect(panel.get_by_role("status").last).to_contain_text(done)
    expect(panel.get_by_role("status").last).to_contain_text("Besides: below 120 Hz")
    listen(page, 1.0)
    panel.get_by_role("button", name="Hear it worked over").click()
    sound, _ = taken_down(page)
    assert np.max(np.abs(sound)) > 0.01
    panel.get_by_role("button", name="Keep it worked over").click()
    row = page.get_by_role("listitem", name="Beatwork worked", exact=True)
    expect(row).to_contain_text(f"Beatwork, {done}")
    made = take_sound(server, "Beatwork worked")
    for at in small:
        place = slice(at + 240, at + 3000)
        # Above what a kick leaves ringing there.
        before, after = (np.sum(np.diff(one[place], 2) ** 2) for one in (loop, made))
        assert after < 0.05 * before
    # What it is made of is as it was.
    np.testing.assert_allclose(take_sound(server, "Beatwork")[9 : RATE * 2], loop[9 : RATE * 2], atol=1e-4)
    with page.expect_download() as waiting:
        panel.get_by_role("button", name="Its strokes as MIDI").click()
    assert waiting.value.suggested_filename == "Beatwork.mid"


def test_small_events_are_accented_on_a_row_and_said_where_all_are(
    server: Server, tabs: Callable[[], Tab], solved: Track
) -> None:
    server.load(with_kit(solved))
    loop, _ = small_loop(1)
    page = tabs().open(server.address, "takes")
    load(page, Between=loop)
    page.get_by_role("listitem", name="Between", exact=True).get_by_role("button", name="Strokes").click()
    panel = page.get_by_role("region", name="Strokes of Between")
    before = {one["at_beats"] for one in part_of(track_now(server), "tom")["strokes"]}
    panel.get_by_label("There").select_option(label="Tom")
    panel.get_by_role("button", name="Ghost them").click()
    settled(page)
    strokes = {one["at_beats"]: one["velocity"] for one in part_of(track_now(server), "tom")["strokes"]}
    assert set(strokes) == before | {0.75, 2.75, 4.75}
    assert all(velocity < 60 for at, velocity in strokes.items() if at not in before)
    panel.get_by_role("button", name="Accent them").click()
    expect(page.get_by_role("status").filter(has_text="plays at every one of them already")).to_be_visible()


def test_several_strokes_are_one_hit_in_turn(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    sound = np.zeros(round(3.4 * RATE))
    tom = (made_tom(160) * np.exp(-np.arange(made_tom(160).size) / RATE * 8))[: round(0.6 * RATE)]
    for number, gain in enumerate((0.8, 0.75, 0.78, 0.16)):
        at = round((0.1 + 0.8 * number) * RATE)
        sound[at : at + tom.size] += gain * tom * (1 - 0.1 * number * np.linspace(0, 1, tom.size))
    page = tabs().open(server.address, "takes")
    load(page, Shelfboard=sound)
    page.get_by_role("button", name="Several as one hit").click()
    page.get_by_label("Mark Shelfboard").check()
    panel = page.get_by_role("region", name="Several as one hit")
    expect(panel.get_by_role("status")).to_have_text(
        "2 strengths, the strongest first: 3, 1 strokes; a strength with one stroke alone sounds the same every time"
    )
    panel.get_by_label("Stroke 2 of Shelfboard").uncheck()
    expect(panel.get_by_role("status")).to_contain_text("2, 1 strokes")
    panel.get_by_label("Stroke 2 of Shelfboard").check()
    expect(panel.get_by_role("status")).to_contain_text("3, 1 strokes")
    panel.get_by_label("Role").select_option("tom")
    panel.get_by_role("button", name="Use as a tom").click()
    expect(page.get_by_role("status").filter(has_text="Shelfboard is a tom now")).to_be_visible()
    settled(page)
    part = next(one for one in track_now(server)["parts"] if one["name"] == "Shelfboard")
    assert len(part["hit"]["layers"][0]["source"]["alternates"]) == 4
    assert part["hit"]["velocity"]["robins"] == 3


def test_another_hit_is_put_under_the_kick_and_taken_back(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    server.load(with_kit(solved))
    page = tabs().open(server.address, "hits")
    settled(page)
    fit = page.get_by_role("tab", name="Fit")
    fit.click()
    expect(fit).to_have_attribute("aria-selected", "true")
    panel = page.get_by_role("region", name="Another hit under Kick")
    panel.get_by_label("Under Kick", exact=True).select_option(label="Tom")
    expect(panel.get_by_role("status")).to_contain_text("below 120 Hz")
    listen(page, 0.8)
    panel.get_by_role("button", name="Hear it alone").click()
    alone, _ = taken_down(page)
    listen(page, 0.8)
    panel.get_by_role("button", name="Hear both").click()
    both, _ = taken_down(page)
    assert np.max(np.abs(alone)) > 0.01
    # The tom sounds where the kick alone has nothing: most of the second is another sound.
    spectra = [np.abs(np.fft.rfft(one, 48000))[40:2000] for one in (alone, both)]
    assert np.corrcoef(spectra[0], spectra[1])[0, 1] < 0.97
    before = track_now(server)
    panel.get_by_role("button", name="Put it under").click()
    expect(page.get_by_role("status").filter(has_text="Tom no longer plays by itself")).to_be_visible()
    settled(page)
    now = track_now(server)
    assert len(part_of(now, "kick")["hit"]["layers"]) > len(part_of(before, "kick")["hit"]["layers"])
    assert part_of(now, "tom")["muted"]
    page.get_by_role("button", name="Undo", exact=True).first.click()
    settled(page)
    assert track_now(server)["parts"] == before["parts"]


def test_a_loop_is_taken_apart_from_its_pattern(server: Server, tabs: Callable[[], Tab], solved: Track) -> None:
    loop, _ = made_loop("four to the floor", BPM)
    page = tabs().open(server.address, "takes")
    load(page, Roundabout=loop)
    page.get_by_role("listitem", name="Roundabout", exact=True).get_by_role("button", name="Pattern").click()
    panel = page.get_by_role("region", name="Pattern of Roundabout")
    panel.get_by_role("button", name="Take it apart").click()
    expect(page.get_by_role("status").filter(has_text="slices in turn").first).to_be_visible()
    settled(page)
    names = [one["name"] for one in track_now(server)["parts"]]
    assert names[-3:] == ["Roundabout kick", "Roundabout snare", "Roundabout hat"]
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Hits").click()
    settled(page)
    page.get_by_role("banner").get_by_role("button", name="Hear", exact=False).filter(has_text="Space").click()
    sound, _ = heard(page, 3.0)
    assert np.max(np.abs(sound)) > 0.01
