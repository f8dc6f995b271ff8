"""A stretch of a recording kept, silenced, taken out or its tail alone: to the sample, without a click, at a level."""

from __future__ import annotations

import numpy as np
import pytest
from near_meters import RATE, made_tom

from juglant.core.errors import InvalidAudio
from juglant.core.signal.recut import Cutting, recut

FIRST, LAST = round(0.2 * RATE), round(0.5 * RATE)
AUDIO = np.stack([made_tom(98), 0.5 * made_tom(98)])


def cut(what: Cutting, **more: float | None) -> np.ndarray:
    asked = {"begin": FIRST, "end": LAST, "fade_in_ms": 0.0, "fade_out_ms": 0.0, "peak_db": None} | more
    return recut(AUDIO, what=what, sample_rate=RATE, **asked)  # type: ignore[arg-type]


def test_what_is_kept_is_the_stretch_to_the_sample() -> None:
    assert np.array_equal(cut("keep"), AUDIO[:, FIRST:LAST])


def test_what_is_silenced_is_silent_and_the_rest_is_where_it_was() -> None:
    made = cut("silence")
    assert made.shape == AUDIO.shape
    assert np.all(made[:, FIRST:LAST] == 0)
    edge = round(0.005 * RATE)
    assert np.array_equal(made[:, : FIRST - edge], AUDIO[:, : FIRST - edge])
    assert np.array_equal(made[:, LAST + edge :], AUDIO[:, LAST + edge :])


def test_what_is_taken_out_is_gone_and_what_is_left_joins() -> None:
    made = cut("take out")
    assert AUDIO.shape[1] - made.shape[1] == pytest.approx(LAST - FIRST, abs=0.005 * RATE)
    edge = round(0.005 * RATE)
    assert np.array_equal(made[:, : FIRST - edge], AUDIO[:, : FIRST - edge])
    assert np.array_equal(made[:, -(AUDIO.shape[1] - LAST - edge) :], AUDIO[:, LAST + edge :])


def test_a_tail_has_no_stroke() -> None:
    made = cut("tail only", begin=0, end=AUDIO.shape[1])
    high = np.abs(np.fft.rfft(made[0])) ** 2
    stroke = np.abs(np.fft.rfft(AUDIO[0])) ** 2

    def above_db(power: np.ndarray, size: int) -> float:
        frequency = np.fft.rfftfreq(size, 1 / RATE)
        return float(10 * np.log10(power[frequency > 2000].sum() / power.sum()))

    assert above_db(high, made.shape[1]) < above_db(stroke, AUDIO.shape[1]) - 25


@pytest.mark.parametrize("what", ["keep", "silence", "take out", "tail only"])
def test_nothing_clicks(what: Cutting) -> None:
    """A low tone cut anywhere: what of it stands over 2 kHz within a millisecond of an edge stays under -60 dB of it."""
    tone = 0.5 * np.sin(2 * np.pi * 55 * np.arange(2 * RATE) / RATE)[None]
    made = recut(
        tone, begin=round(0.5037 * RATE), end=round(1.2471 * RATE), what=what, fade_in_ms=6, fade_out_ms=6, peak_db=None,
        sample_rate=RATE,
    )[0]  # fmt: skip
    padded = np.pad(made if what in {"keep", "tail only"} else made[round(0.4 * RATE) : round(1.35 * RATE)], RATE // 10)
    if what in {"silence", "take out"}:
        padded = padded[RATE // 10 : -RATE // 10]
    jumps = np.abs(np.diff(padded, n=2))
    # The tone's own second difference, and no more than a thousandth of its peak over it.
    own = 0.5 * (2 * np.pi * 55 / RATE) ** 2
    assert jumps.max() < own + 0.5e-3


@pytest.mark.parametrize("peak_db", [-1.0, -12.0])
def test_it_is_brought_to_the_peak_that_is_asked(peak_db: float) -> None:
    made = cut("keep", peak_db=peak_db)
    assert 20 * np.log10(np.max(np.abs(made))) == pytest.approx(peak_db, abs=1e-9)
    assert np.allclose(made[1], 0.5 * made[0])


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"begin": LAST, "end": FIRST}, "empty"),
        ({"begin": 10**9, "end": 2 * 10**9}, "empty"),
        ({"begin": 0, "end": round(0.02 * RATE), "what": "tail only"}, "no tail"),
        ({"begin": 0, "end": 10**9, "what": "silence"}, "silent"),
    ],
)
def test_what_leaves_nothing_is_refused_in_words(asked: dict, said: str) -> None:
    what = asked.pop("what", "keep")
    with pytest.raises(InvalidAudio, match=said):
        cut(what, **asked)
