"""What is heard on the page and how: parts of the spectrum alone, loaded sounds before they are used."""

from __future__ import annotations

import io
import re
from collections.abc import Callable

import numpy as np
import soundfile
from page import FADED_IN_S, Tab, heard, listen, settled, taken_down
from playwright.sync_api import expect
from scipy import signal as dsp
from support import Server

RATE = 48000
LEAD_MS = 300.0


def shares(audio: np.ndarray) -> list[float]:
    """Energy below 300 Hz, from 300 Hz to 4 kHz and above, by one spectrum (numpy), each of all."""
    power = np.abs(np.fft.rfft(audio * np.hanning(audio.size))) ** 2
    hz = np.fft.rfftfreq(audio.size, 1 / RATE)
    found = [float(power[(hz >= low) & (hz < high)].sum()) for low, high in ((0, 300), (300, 4000), (4000, RATE))]
    return [one / sum(found) for one in found]


# Key, name, place among the shares, and how much of what is heard it is at least: 24 dB an octave let some lows by.
PARTS = (
    ("l", "Low end, below 300 Hz", 0, 0.95),
    ("o", "Middle, 300 Hz to 4 kHz", 1, 0.4),
    ("p", "Top, from 4 kHz", 2, 0.7),
)


def test_the_low_end_the_middle_and_the_top_are_heard_alone_at_their_level(server: Server, tabs: Callable[[], Tab]) -> None:
    page = tabs().open(server.address)
    settled(page)
    page.keyboard.press("Space")
    expect(page.get_by_role("banner").get_by_role("button", name="Stop")).to_be_visible()
    heard(page, FADED_IN_S)
    bar = 4 * 60 / 126
    whole, rate = heard(page, bar)
    assert rate == RATE
    low_of = dsp.butter(8, 150, fs=RATE, output="sos")
    before = np.sqrt(np.mean(dsp.sosfilt(low_of, whole) ** 2))
    for key, name, own, least in PARTS:
        page.keyboard.press(key)
        expect(page.get_by_role("status").filter(has_text=name)).to_be_visible()
        heard(page, 0.2)
        alone, _ = heard(page, bar)
        assert shares(alone)[own] > least, name
        if own == 0:
            # Alone it is as loud as it was among the rest.
            now = np.sqrt(np.mean(dsp.sosfilt(low_of, alone) ** 2))
            assert abs(20 * np.log10(now / before)) < 1
            # The corner is moved: less is heard below 80 Hz than below 300.
            page.get_by_role("slider", name="Where the low end stops").fill("80")
            expect(page.get_by_role("status").filter(has_text="Low end, below 80 Hz")).to_be_visible()
            heard(page, 0.2)
            narrow, _ = heard(page, bar)
            assert np.mean(narrow**2) < np.mean(alone**2)
            page.get_by_role("slider", name="Where the low end stops").fill("300")
    page.get_by_role("button", name="Hear all").click()
    expect(page.get_by_role("button", name="Hear all")).to_have_count(0)


def thump_file() -> bytes:
    time = np.arange(RATE // 2) / RATE
    sound = 0.7 * np.sin(2 * np.pi * 64 * time) * np.minimum(1000 * time, 1) * np.exp(-9 * time)
    out = io.BytesIO()
    soundfile.write(out, np.append(np.zeros(round(LEAD_MS * RATE / 1000)), sound), RATE, format="WAV", subtype="PCM_24")
    return out.getvalue()


def sounding(page, act: Callable[[], None]) -> np.ndarray:  # type: ignore[no-untyped-def]
    listen(page, 1.6)
    act()
    audio, _ = taken_down(page)
    loud = np.flatnonzero(np.abs(audio) > 1e-4)
    assert loud.size, "nothing was heard"
    return np.asarray(audio[loud[0] :])


def test_a_sound_is_seen_and_heard_before_it_is_used_and_used_again_without_its_file(
    server: Server, tabs: Callable[[], Tab]
) -> None:
    page = tabs().open(server.address)
    settled(page)
    page.get_by_label("Sound files").first.set_input_files(
        {"name": "Kick thump.wav", "mimeType": "audio/wav", "buffer": thump_file()}
    )
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("begins 300 ms into its file")
    expect(dialog).to_contain_text("lands at 64.0 Hz")
    expect(dialog).to_contain_text("replaces the kick's layers")
    expect(dialog.get_by_role("img", name=re.compile("^Waveform of Kick thump"))).to_be_visible()
    alone = sounding(page, dialog.get_by_role("button", name="Hear Kick thump as it is").click)
    spectrum = np.abs(np.fft.rfft(alone[: RATE // 4], 1 << 18))
    assert np.argmax(spectrum) * RATE / (1 << 18) == np.clip(np.argmax(spectrum) * RATE / (1 << 18), 60, 68)
    # In its place the whole loop sounds, with the kit over it.
    placed = sounding(page, dialog.get_by_role("button", name="Hear Kick thump in its place").click)
    assert shares(placed)[2] > 10 * shares(alone)[2]
    dialog.get_by_role("button", name="Hear Kick thump in its place").click()
    dialog.get_by_role("button", name="Add", exact=True).click()
    settled(page)
    page.keyboard.press("2")
    expect(page.get_by_role("list", name="Layers").get_by_role("listitem", name="Kick thump")).to_be_visible()
    # Not late: nothing is said of it, and it begins where its sound does.
    expect(page.get_by_role("region", name=re.compile("starts late"))).to_have_count(0)
    page.get_by_role("status").get_by_role("button", name="Undo this").click()
    settled(page)
    page.keyboard.press("1")
    page.get_by_role("button", name="Loaded before").click()
    page.get_by_role("button", name=re.compile("^Kick thump")).last.click()
    expect(page.get_by_role("dialog")).to_contain_text("begins 300 ms into its file")
