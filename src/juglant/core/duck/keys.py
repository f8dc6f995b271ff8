"""Where the keys of a curve fall: the kick, some hits, the silent trigger, the grid, or the bass."""

from __future__ import annotations

from juglant.core.model.duck import Key
from juglant.core.model.ids import BASS_PART, KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.tempo import BEATS_PER_BAR

EIGHTH, SIXTEENTH = 0.5, 0.25
# Keys closer than this are one.
TOGETHER_BEATS = 1e-4


def key_beats(track: Track, key: Key) -> list[float]:
    """Places of a curve's keys inside the loop, in beats, in order, each once; a hit that is not there keys nothing."""
    if key.kind == "kick":
        found = track.kicks()
    elif key.kind == "hits":
        found = [
            stroke.at_beats
            for one in track.hits()
            if one.id in key.hit_ids
            for stroke in track.played(one.model_copy(update={"muted": False}))
        ]
    elif key.kind == "notes":
        found = [note.at_beats for note in track.notes()]
    elif key.kind == "grid":
        found = _every(track, key.grid_beats, key.offset_beats % key.grid_beats)
    else:
        found = trigger_beats(track)
    out: list[float] = []
    for at in sorted(found):
        if not out or at - out[-1] > TOGETHER_BEATS:
            out.append(at)
    return out


def _every(track: Track, step: float, first: float) -> list[float]:
    length = track.sheet.length_beats
    count = int((length - first - 1e-9) // step) + 1
    return [track.sheet.swung(first + i * step) for i in range(count)]


def trigger_beats(track: Track) -> list[float]:
    """Places of the silent trigger inside the loop, in beats, swung as everything is."""
    one = track.trigger
    if one.pattern == "eighths":
        return _every(track, EIGHTH, 0.0)
    if one.pattern == "sixteenths":
        return _every(track, SIXTEENTH, 0.0)
    if one.pattern == "off-beats":
        return _every(track, 1.0, EIGHTH)
    if one.pattern == "free":
        return sorted(track.sheet.swung(at) for at in one.at_beats if 0 <= at < track.sheet.length_beats)
    return _as_the_kick(track)


def _as_the_kick(track: Track) -> list[float]:
    """The kick's pattern, running on through bars in which it rests: those take the last bar that has one."""
    by_bar: dict[int, list[float]] = {}
    for at in track.kicks():
        by_bar.setdefault(int(at // BEATS_PER_BAR), []).append(at % BEATS_PER_BAR)
    if not by_bar:
        return []
    bars, last, out = track.sheet.bars, by_bar[max(by_bar)], []
    for bar in range(bars):
        last = by_bar.get(bar, last)
        out += [bar * BEATS_PER_BAR + at for at in last]
    return out


def keyed_by_itself(part: str, key: Key) -> bool:
    """Whether a part's curve is restarted by the part's own strokes."""
    own = {"kick": (KICK_ID,), "notes": (BASS_PART,), "hits": key.hit_ids}
    return part in own.get(key.kind, ())
