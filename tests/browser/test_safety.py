"""What must not happen to ears or to work: too loud, lost, moved away under the hand."""

from __future__ import annotations

import re
from collections.abc import Callable

import numpy as np
from page import Tab, both_taken_down, listen, settled
from playwright.sync_api import expect
from scipy.signal import resample_poly
from support import Server

from juglant.core.model.track import Track

CEILING_DB, ALLOWED_DB = -1.0, 0.1


def test_at_the_highest_level_nothing_leaves_over_the_ceiling(
    one_server: Server, solved: Track, tabs: Callable[[], Tab]
) -> None:
    hot = {"kick_gain_db": 6.0, "bass_gain_db": 6.0, "bass_inverted": True}
    track = solved.model_copy(update={"mix": solved.mix.model_copy(update=hot)})
    one_server.load(track)
    page = tabs().open(one_server.address)
    page.get_by_label("Preview level").fill("0")
    listen(page, 5.0)
    page.keyboard.press("Space")
    expect(page.get_by_role("button", name=re.compile("^Stop"))).to_be_visible()
    sides, _ = both_taken_down(page)
    peaks_db = [20 * np.log10(np.abs(resample_poly(side, 8, 1)).max()) for side in sides]
    # Loud enough to be held (the stems' sum stands over full scale), and held.
    assert min(peaks_db) > -3
    assert max(peaks_db) <= CEILING_DB + ALLOWED_DB
    settled(page)
