"""A recorded sound as a layer's source: cut, faded, moved in pitch in one of two ways; or several of one thing in turn."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from juglant.core.parameter.parameter import Description, parameter
from juglant.core.signal.envelope import frames_of, with_edges
from juglant.core.signal.shift import LEAST_RATIO, MOST_RATIO, length_kept, resampled
from juglant.core.synth.takes import ID_PATTERN, NO_TAKE, TakeAudio, find_take
from juglant.core.types import Samples

# Sixteen bars at the slowest tempo, and a little.
LONGEST_MS, LATEST_MS = 100000.0, 30000.0
EDGE_MS, START_MS = 0.5, 0.1
Way = Literal["playback speed", "length kept"]
MOST_ALTERNATES = 64
# What is as strong as this is played where a hit is heard as set.
AS_SET = 127


class Alternate(Description):
    """One of several recordings of one thing: where it is, how it is evened, and the strength it was struck with."""

    take: str = Field(pattern=ID_PATTERN, title="Sound", description="The sound, named by the hash of its samples.")
    begin_ms: float = Field(
        ge=0, le=LONGEST_MS, description="Where in the file it begins.", json_schema_extra={"unit": "ms"}
    )
    length_ms: float = Field(gt=0, le=LONGEST_MS, description="How much of it there is.", json_schema_extra={"unit": "ms"})
    gain_db: float = Field(ge=-60, le=60, description="What evens it.", json_schema_extra={"unit": "dB"})
    velocity: int = Field(ge=1, le=127, description="The strength it was struck with.")


class Take(Description):
    """Which recorded sound, how much of it, and what a change of its pitch does to its length."""

    engine: Literal["take"] = "take"
    take: str = Field(
        default=NO_TAKE, pattern=ID_PATTERN, title="Sound", description="The sound, named by the hash of its samples."
    )
    way: Way = Field(
        default="playback speed",
        title="Retuned by",
        description="Playback speed changes the length with the pitch; with the length kept only the tail is moved.",
    )
    begin_ms: float = parameter(0, 0, LATEST_MS, "ms", "Where in the file the sound begins.", title="From", step=1)
    length_ms: float = parameter(
        LONGEST_MS, 1, LONGEST_MS, "ms", "How much of it sounds; all of it at the end of the scale.", title="Length",
        scale="log", step=5,
    )  # fmt: skip
    fade_ms: float = parameter(
        5, 0.5, 2000, "ms", "Time in which the end fades.", title="Fade", scale="log", step=1, musical=(2, 100)
    )
    keep_ms: float = parameter(
        30, 1, 500, "ms", "The attack that stays as recorded where the length is kept.", title="Attack kept", scale="log",
        step=1, musical=(10, 80),
    )  # fmt: skip
    alternates: tuple[Alternate, ...] = Field(
        default=(),
        max_length=MOST_ALTERNATES,
        title="Alternates",
        description="Recordings of one thing, played in turn by strength in place of the sound above.",
    )

    @property
    def sounds(self) -> tuple[str, ...]:
        """Every sound it is made of, each once."""
        return tuple(dict.fromkeys(one.take for one in self.alternates)) or (self.take,)


def in_turn(settings: Take, velocity: int, turn: int) -> Take:
    """The take with the one alternate that a stroke plays: of those nearest to its strength, each in its turn."""
    if not settings.alternates:
        return settings
    nearest = min({one.velocity for one in settings.alternates}, key=lambda own: (abs(own - velocity), -own))
    group = [one for one in settings.alternates if one.velocity == nearest]
    return settings.unchecked(alternates=(group[turn % len(group)],))


def sound_of(settings: Take) -> TakeAudio | None:
    """All there is of what is heard where its hit is as set, from where it begins, (channels, frames); None where its
    sound is not there."""
    own = next(iter(in_turn(settings, AS_SET, 0).alternates), None)
    found = find_take(settings.take if own is None else own.take)
    if found is None:
        return None
    # Each alternate begins where it is struck; the rulers move and shorten all of them alike.
    begin_ms = settings.begin_ms + (0.0 if own is None else own.begin_ms)
    audio = found.audio[:, frames_of(begin_ms, found.sample_rate) :]
    if own is not None:
        audio = audio[:, : frames_of(max(0.0, own.length_ms - settings.begin_ms), found.sample_rate)]
        audio = audio * 10 ** (own.gain_db / 20)
    return TakeAudio(audio, found.sample_rate)


def render(settings: Take, *, tune: float, sample_rate: int) -> Samples:
    """Render the take, (frames,) or (2, frames); silence where its sound is not there.

    tune: the ratio its pitch is moved by, kept within two octaves.
    """
    found = sound_of(settings)
    if found is None:
        return np.zeros(2)
    rate = found.sample_rate
    ratio = min(MOST_RATIO, max(LEAST_RATIO, tune))
    part = np.asarray(found.audio[:, : max(1, frames_of(settings.length_ms, rate))])
    if settings.way == "playback speed":
        audio = resampled(part, rate * ratio, sample_rate)
    else:
        audio = length_kept(
            resampled(part, rate, sample_rate),
            ratio,
            keep_frames=frames_of(settings.keep_ms, sample_rate),
            sample_rate=sample_rate,
        )
    audio = audio[:, : frames_of(LONGEST_MS, sample_rate)]
    if audio.shape[1] < 2:
        return np.zeros(2)
    # A sound that begins in the middle of a wave begins with a click that is not its own.
    start_ms = EDGE_MS if frames_of(settings.begin_ms, rate) > 0 else START_MS
    rows = [with_edges(row, start_ms=start_ms, end_ms=settings.fade_ms, sample_rate=sample_rate) for row in audio]
    return rows[0] if len(rows) == 1 else np.stack(rows)
