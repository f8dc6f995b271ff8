"""The sound of a video: read from common containers at its own pitch, in part where it is long, or refused in words."""

from __future__ import annotations

import io

import av
import numpy as np
import pytest
from starlette.testclient import TestClient
from test_takes import client, sent, tone

__all__ = ["client"]
RATE = 48000
# What each container usually carries (common practice), and how near a pitch comes through it, cents.
KINDS = [
    ("mp4", "aac", 2),
    ("mov", "pcm_s16le", 1),
    ("matroska", "pcm_s16le", 1),
    ("webm", "libopus", 3),
    ("avi", "mp3", 3),
]


def film(kind: str, codec: str | None, sound: np.ndarray, *, picture: bool = True, rate: int = RATE) -> bytes:
    """A video of a few dark pictures, with a sound, (channels, frames), or without any."""
    out = io.BytesIO()
    with av.open(out, "w", format=kind) as made:
        seen = made.add_stream("libvpx" if kind == "webm" else "mpeg4", rate=10) if picture else None
        layout = "mono" if sound.shape[0] == 1 else "stereo"
        heard = made.add_stream(codec, rate=rate, layout=layout) if codec else None
        if seen is not None:
            seen.width, seen.height, seen.pix_fmt = 64, 48, "yuv420p"
            for _ in range(5):
                dark = av.VideoFrame.from_ndarray(np.zeros((48, 64, 3), dtype=np.uint8), format="rgb24")
                for packet in seen.encode(dark):
                    made.mux(packet)
            for packet in seen.encode(None):
                made.mux(packet)
        if heard is not None:
            whole = np.ascontiguousarray(sound.T.reshape(1, -1) * 32767).astype(np.int16)
            frame = av.AudioFrame.from_ndarray(whole, format="s16", layout=layout)
            frame.sample_rate = rate
            resampler = av.AudioResampler(heard.format, heard.layout, rate, frame_size=heard.frame_size or 1024)
            for part in [*resampler.resample(frame), *resampler.resample(None)]:
                for packet in heard.encode(part):
                    made.mux(packet)
            for packet in heard.encode(None):
                made.mux(packet)
    return out.getvalue()


@pytest.mark.parametrize(("kind", "codec", "cents"), KINDS)
@pytest.mark.parametrize("channels", [1, 2])
def test_the_sound_of_a_video_is_read_and_measured(
    client: TestClient, kind: str, codec: str, cents: float, channels: int
) -> None:
    sound = np.stack([tone(58.27, rate=RATE), 0.6 * tone(58.27, rate=RATE)][:channels])
    answer = sent(client, film(kind, codec, sound), name=f"Film.{kind}")
    assert answer.status_code == 201, answer.text
    made = answer.json()
    assert (made["name"], made["channels"], made["sample_rate"]) == ("Film", channels, RATE)
    assert abs(1200 * np.log2(made["landing_hz"] / 58.27)) < cents
    assert made["duration_ms"] == pytest.approx(600, abs=60)


def test_sound_alone_in_such_a_container_is_read_too(client: TestClient) -> None:
    answer = sent(client, film("mp4", "aac", tone(58.27, rate=RATE)[None], picture=False), name="Voice.m4a")
    assert answer.status_code == 201, answer.text
    assert answer.json()["name"] == "Voice"


def test_a_long_one_is_asked_about_and_taken_in_part(client: TestClient) -> None:
    long = 0.01 * np.random.default_rng(0).standard_normal(150 * 8000)
    long[120 * 8000 : 121 * 8000] += tone(90, 1.0, 8000)
    data = film("matroska", "pcm_s16le", long[None], rate=8000)
    asked = sent(client, data)
    assert asked.status_code == 422
    assert "2:30 long" in asked.text
    part = sent(client, data, from_s=115)
    assert part.status_code == 201, part.text
    assert part.json()["duration_ms"] == pytest.approx(35000, abs=200)


def test_one_that_breaks_off_is_used_as_far_as_it_comes(client: TestClient) -> None:
    data = film("matroska", "pcm_s16le", np.stack([np.random.default_rng(1).uniform(-0.3, 0.3, 4 * RATE)]))
    answer = sent(client, data[: len(data) // 2])
    assert answer.status_code == 201, answer.text
    assert 500 < answer.json()["duration_ms"] < 3900


@pytest.mark.parametrize("kind", ["mp4", "matroska", "avi"])
def test_one_without_sound_says_so(client: TestClient, kind: str) -> None:
    answer = sent(client, film(kind, None, np.zeros((1, 1))))
    assert answer.status_code == 422
    assert "without any sound" in answer.json()["detail"]
    assert client.get("/api/takes").json() == []
