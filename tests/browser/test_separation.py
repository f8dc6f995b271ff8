"""From a clash to a goal that is reached, for every owner of the sub; what the screen claims recomputed from the files."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import soundfile
from outside_room import RATE, begins_before_s, low_middle_db, response_db, spread_lu
from page import FADED_IN_S, TAKEN_OVER_S, Tab, bench_tab, downloaded, heard, listen, settled, taken_down
from playwright.sync_api import Page, expect
from reference_clearance import GOALS_DB, clearance_db
from support import Server

from juglant.demo.track import untouched_track

OWNERS = {"kick": "Kick owns", "bass": "Bass owns", "shared": "Sub shared", "kick-is-bass": "The kick is the bass"}


def claimed_db(page: Page) -> float:
    """The clearance that the step's head says is heard now."""
    text = page.get_by_text(re.compile(r"Kick over bass .* now; goal")).inner_text()
    found = re.search(r"before, (\S+) dB now", text)
    assert found is not None, text
    return float(found.group(1).replace("−", "-"))


def reached_db(page: Page, goal_db: float, near_db: float = 0.3) -> float:
    """What the head says once it is at the goal: the figures follow the press by the time it takes to measure."""
    there = """([goal, near]) => {
      const said = document.body.innerText.match(/Kick over bass .*before, (\\S+) dB now; goal/);
      const now = said ? Number(said[1].replace("\u2212", "-")) : Number.NaN;
      return (goal < 0 ? now - goal : goal - now) <= near;
    }"""
    page.wait_for_function(there, arg=[goal_db, near_db])
    settled(page)
    return claimed_db(page)


def stems_of(page: Page, folder: Path) -> tuple[dict[str, np.ndarray], int, dict]:
    """Kick and bass, before, un-ducked and as heard, out of the bundle that Deliver gives, their rate and its report."""
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Deliver").click()
    path = downloaded(page, "Download everything", folder)
    stems, rate = {}, 0
    with zipfile.ZipFile(path) as archive:
        report = json.loads(archive.read("report.json"))
        for name in ("kick", "kick-before", "kick-unducked", "bass", "bass-before", "bass-unducked"):
            if f"stems/{name}.wav" in archive.namelist():
                stems[name], rate = soundfile.read(io.BytesIO(archive.read(f"stems/{name}.wav")))
    page.get_by_role("navigation", name="Steps").get_by_role("link", name="Separate").click()
    return stems, rate, report


def duck_csv(folder: Path) -> str:
    """The bass's gain out of the bundle that was downloaded last."""
    newest = max(folder.glob("*.zip"), key=lambda one: one.stat().st_mtime)
    with zipfile.ZipFile(newest) as archive:
        return archive.read("duck-bass.csv").decode()


def owners_in_view(page: Page) -> None:
    """The table of owners is planned when it is looked at."""
    bench_tab(page, "Owners and ways")
    page.get_by_role("heading", name="Who owns the sub").scroll_into_view_if_needed()


def test_every_owner_reaches_its_goal_and_the_files_say_the_same(
    server: Server, tabs: Callable[[], Tab], tmp_path: Path
) -> None:
    server.load(untouched_track())
    page = tabs().open(server.address, "separate")
    before = claimed_db(page)
    assert before < GOALS_DB["kick"] - 3
    for owner, name in OWNERS.items():
        owners_in_view(page)
        choose = page.get_by_role("button", name=re.compile(f"^Choose: {name}"))
        expect(choose).to_be_enabled()
        choose.click()
        expect(page.get_by_role("row", name=re.compile(f"^{name}.* now"))).to_be_visible()
        settled(page)
        claimed = reached_db(page, GOALS_DB[owner])
        stems, rate, report = stems_of(page, tmp_path)
        # The files through filters of scipy's at the full rate.
        assert clearance_db(stems, owner, rate, report["clearance"]["strokes_s"]) == pytest.approx(claimed, abs=0.5), owner


def test_the_map_is_read_by_keys_and_a_cell_is_heard(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    chart = page.get_by_role("button", name=re.compile("^Clash map"))
    chart.focus()
    says = page.get_by_role("status").filter(has_text="Hz,")
    page.keyboard.press("ArrowRight")
    first = says.inner_text()
    page.keyboard.press("ArrowUp")
    expect(says).not_to_have_text(first)
    assert re.search(r"\d+ Hz, 1\.1\.\d\d: ", says.inner_text())
    listen(page, 1.2)
    page.keyboard.press("Enter")
    band, rate = taken_down(page)
    # One third-octave band and nothing else: what is heard lies around the cell's centre.
    centre = float(says.inner_text().split(" Hz")[0])
    power, hz = np.abs(np.fft.rfft(band)) ** 2, np.fft.rfftfreq(band.size, 1 / rate)
    inside = (hz > centre / 1.6) & (hz < centre * 1.6)
    assert power[inside].sum() > 0.9 * power.sum() > 0
    for layer in ("who wins", "kick", "bass", "difference"):
        pick = page.get_by_role("group", name="What the map shows").get_by_role("button", name=layer)
        pick.click()
        expect(pick).to_have_attribute("aria-pressed", "true")


def test_an_owner_is_heard_before_it_is_chosen_and_levels_leave_room(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    owners_in_view(page)
    hear = page.get_by_role("button", name=re.compile("^Hear: Bass owns"))
    expect(hear).to_be_enabled()
    listen(page, 2)
    hear.click()
    sound, _ = taken_down(page)
    assert np.max(np.abs(sound)) > 0.01
    bench_tab(page, "How they add up")
    page.get_by_role("button", name=re.compile("^Leave 6 dB")).click()
    levels = page.get_by_role("table", name="Levels of kick and bass")
    expect(levels.get_by_role("row", name=re.compile("^Both"))).to_contain_text(re.compile("−(5.9|6.0|6.1) dBFS"))
    settled(page)
    page.get_by_role("button", name="Undo").click()
    settled(page)
    # The bass moved or turned to where it adds best is no lower in the sum than before.
    win = page.get_by_role("button", name=re.compile("^Win "))
    expect(win).to_be_visible()
    summed = page.get_by_role("table", name="Summing gain by band").get_by_role("row", name=re.compile("^now"))
    before = float(summed.get_by_role("cell").nth(1).inner_text().replace("−", "-"))
    win.click()
    expect(page.get_by_role("button", name="Undo", exact=True)).to_have_attribute("title", re.compile("phase"))
    settled(page)
    after = float(summed.get_by_role("cell").nth(1).inner_text().replace("−", "-"))
    assert after >= before
    page.get_by_role("button", name="Undo").click()
    settled(page)


def test_a_note_that_a_cut_takes_down_is_named(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    chart = page.get_by_role("group", name=re.compile("^Response of the carve"))
    expect(chart.get_by_text(re.compile(r"B♭1 −\d")).first).to_be_visible()


def test_ways_are_weighed_and_a_swap_is_tried_before_it_is_made(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    bench_tab(page, "Owners and ways")
    page.get_by_role("button", name="Weigh them").click()
    costs = page.get_by_role("table", name="What each way costs")
    expect(costs.get_by_role("row", name=re.compile("^Duck the bass"))).to_be_visible()
    costs.get_by_role("button", name="Take: Let the bass start later").click()
    settled(page)
    bench_tab(page, "Clash and carve")
    expect(page.get_by_role("checkbox", name="Carve on")).not_to_be_checked()
    bench_tab(page, "Owners and ways")
    page.get_by_role("button", name="Undo", exact=True).click()
    settled(page)
    # Another tempo: nothing changes until it is swapped, and then only what is asked for is planned anew.
    page.get_by_role("button", name="Try a swap").click()
    page.get_by_label("Swap for").select_option("tempo")
    page.get_by_label("New tempo").fill("150")
    page.get_by_role("button", name="Check", exact=True).click()
    figures = page.get_by_role("table", name="Figures before and after the swap")
    expect(figures.get_by_role("row", name=re.compile("bass is not back"))).to_contain_text("✕")
    expect(page.get_by_text(re.compile(r"\d of what fits now would fit no more; planning anew mends \d"))).to_be_visible()
    expect(page.get_by_text("126 BPM")).to_be_visible()
    page.get_by_role("checkbox", name="carve", exact=True).uncheck()
    listen(page, 3)
    page.get_by_role("button", name="Hear the swap").click()
    sound, _ = taken_down(page)
    assert np.max(np.abs(sound)) > 0.01
    page.get_by_role("button", name="Swap", exact=True).click()
    expect(page.get_by_text("150 BPM")).to_be_visible()
    settled(page)
    page.get_by_role("button", name="Undo", exact=True).click()
    expect(page.get_by_text("126 BPM")).to_be_visible()
    settled(page)


def test_linear_phase_says_what_rings_ahead(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    bench_tab(page, "Moves and filters")
    page.get_by_label("Phase", exact=True).select_option("linear")
    expect(
        page.get_by_text(re.compile(r"Linear phase rings \d+\.\d ms ahead of a start, with −\d+\.\d dB"))
    ).to_be_visible()
    settled(page)


def test_a_band_stands_out_and_nothing_gets_louder(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address, "separate")
    settled(page)
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)
    plain, rate = heard(page, 2)
    page.get_by_role("checkbox", name="Sweep by ear").check()
    sweep = page.get_by_role("slider", name="Frequency that stands out")
    sweep.focus()
    page.keyboard.press("Home")
    for _ in range(8):
        page.keyboard.press("PageUp")
    said = page.get_by_text(re.compile(r"Hz · .* ct · ")).inner_text()
    centre = float(said.split(" Hz")[0])
    heard(page, TAKEN_OVER_S)
    out, _ = heard(page, 2)

    def share(sound: np.ndarray) -> float:
        power, hz = np.abs(np.fft.rfft(sound)) ** 2, np.fft.rfftfreq(sound.size, 1 / rate)
        inside = (hz > centre / 1.2) & (hz < centre * 1.2)
        return float(power[inside].sum() / power.sum())

    assert share(out) > 1.3 * share(plain)
    assert np.sum(out**2) < np.sum(plain**2)
    page.get_by_role("checkbox", name="Sweep by ear").uncheck()
    heard(page, TAKEN_OVER_S)
    again, _ = heard(page, 2)
    assert np.sum(again**2) == pytest.approx(np.sum(plain**2), rel=0.3)


OVER_DB = 0.3


def spans_of(notes: list[dict], bpm: float) -> list[tuple[float, float]]:
    """Start and length of every note in seconds."""
    return [(note["at_beats"] * 60 / bpm, note["length_beats"] * 60 / bpm) for note in notes]


def begins_early_s(archive_csv: str, strokes_s: list[float], loop_s: float) -> float:
    """The most that the duck of the file begins before a stroke, s."""
    rows = np.array([[float(x) for x in line.split(",")] for line in archive_csv.splitlines()[1:]])
    return max(begins_before_s(rows[:, 0], rows[:, 1], stroke, loop_s) for stroke in strokes_s)


@pytest.mark.parametrize("order", ["carve first", "duck first"])
@pytest.mark.parametrize("owner", ["kick", "shared"])
def test_three_shares_in_an_order_reach_the_goal_and_the_files_say_what_they_cost(
    order: str, owner: str, server: Server, tabs: Callable[[], Tab], tmp_path: Path
) -> None:
    page = tabs().open(server.address, "track")
    settled(page)
    page.get_by_role("button", name="Start over").click()
    settled(page)
    bench_tab(page, "Sheet")
    page.get_by_label("Room is made by").select_option(order)
    page.get_by_label("Who owns the sub").select_option(owner)
    settled(page)
    steps = page.get_by_role("navigation", name="Steps").get_by_role("link")
    names = [one.split()[1] for one in steps.all_inner_texts() if one.split()[0].isdigit()]
    assert (names.index("Duck") < names.index("Separate")) == (order == "duck first")
    steps.filter(has_text="Separate").click()
    ruler = page.get_by_role("slider", name="Share of the carve", exact=True)
    for share, keys in ((0, ["Home"]), (40, ["Home", *["ArrowRight"] * 8]), (100, ["End"])):
        expect(ruler).to_be_visible()
        ruler.focus()
        for key in keys:
            page.keyboard.press(key)
        expect(ruler).to_have_attribute("aria-valuenow", str(share))
        # Planned when the hand has rested; what was there before may be at the goal as well.
        expect(page.get_by_text("in the hand: predicted")).to_have_count(0)
        settled(page)
        # Of the untuned demo's kick 20 ms are left to the return at its deepest.
        reached_db(page, GOALS_DB[owner])
        bass, _, report = stems_of(page, tmp_path)
        room, clearance = report["room"], report["clearance"]
        assert report["carve"]["share_pct"] == share
        assert report["carve"]["order"] == order
        spoken = clearance_db(bass, owner, RATE, clearance["strokes_s"])
        assert spoken == pytest.approx(clearance["after_db"], abs=0.5)
        assert spoken > GOALS_DB[owner] - 0.6
        carved = bass.get("bass-unducked", bass["bass"])
        assert room["low_middle_db"] == pytest.approx(low_middle_db(carved) - low_middle_db(bass["bass-before"]), abs=0.2)
        spans = spans_of([vars(note) for note in untouched_track().bass_notes], 126)
        assert room["spread_after_lu"] == pytest.approx(spread_lu(carved, spans), abs=0.3)
        _, gain = response_db(bass["bass-before"], carved, 30)
        assert gain.max() <= OVER_DB
        assert gain.min() >= -6.1
        settings = report["duck"]["settings"]
        if settings["on"]:
            csv = duck_csv(tmp_path)
            early = begins_early_s(csv, clearance["strokes_s"], bass["bass"].size / RATE)
            assert early <= (settings["fall_ms"] + 2) / 1000 + 0.001


def test_a_kick_shares_its_giving_way_with_a_duck_under_the_notes(
    server: Server, tabs: Callable[[], Tab], tmp_path: Path
) -> None:
    page = tabs().open(server.address, "track")
    settled(page)
    page.get_by_role("button", name="Start over").click()
    settled(page)
    bench_tab(page, "Sheet")
    page.get_by_label("Room is made by").select_option("duck first")
    page.get_by_label("Who owns the sub").select_option("bass")
    settled(page)
    steps = page.get_by_role("navigation", name="Steps").get_by_role("link")
    steps.filter(has_text="Separate").click()
    ruler = page.get_by_role("slider", name="Share of the carve", exact=True)
    expect(ruler).to_be_visible()
    expect(ruler).to_have_attribute("aria-valuenow", "100")
    # Step by step, planned when the hand rests.
    ruler.focus()
    for _ in range(10):
        page.keyboard.press("ArrowLeft")
    expect(ruler).to_have_attribute("aria-valuenow", "50")
    expect(page.get_by_text("in the hand: predicted")).to_have_count(0)
    settled(page)
    steps.filter(has_text="Duck").click()
    page.get_by_role("button", name="Kick: down to").click()
    bench_tab(page, "Key and part")
    expect(page.get_by_label("Keyed by", exact=True)).to_have_value("notes")
    stems, _, report = stems_of(page, tmp_path)
    clearance = report["clearance"]
    spoken = clearance_db(stems, "bass", RATE, clearance["strokes_s"])
    assert spoken == pytest.approx(clearance["after_db"], abs=0.5)
    assert spoken < GOALS_DB["bass"] + 0.6
    # The first 15 ms of every kick are as the pass leaves them.
    plain, heard = stems["kick-unducked"], stems["kick"]
    differs = np.abs(plain - heard) > 1e-4
    assert differs.any()
    for stroke in clearance["strokes_s"]:
        first = round(stroke * RATE)
        assert not differs[first : first + round(0.015 * RATE)].any()
