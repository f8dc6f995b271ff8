"""One balance from click to body: what of a hit's layers is click, against all the rest of it."""

from __future__ import annotations

from dataclasses import dataclass

from juglant.core.errors import InvalidTrack
from juglant.core.hit.levelled import stroke_loudness_db
from juglant.core.hit.own_ranges import ranges_of
from juglant.core.hit.render import folded, rendered_layers, sum_layers
from juglant.core.measure.layer_role import job_of
from juglant.core.measure.level import energy_loudness_db
from juglant.core.model.hit import Hit, Layer
from juglant.core.parameter.fields import inside, limits_of

CLICK, SILENT = "click", "silent"
MOST_CLICK_DB, LEAST_CLICK_DB = 30.0, -50.0
ROUNDS, NEAR_DB = 6, 0.01
# No balance costs more of the loudness than this (this project's choice).
MOST_LOST_DB = 6.0


def clicks_of(hit: Hit, *, sample_rate: int, bpm: float) -> set[str] | None:
    """Ids of the layers that are click; None where no layer that is heard is, or every one."""
    layers = hit.heard()
    rendered = rendered_layers(hit, layers, sample_rate=sample_rate, bpm=bpm)
    jobs = {one.id: job_of(folded(audio), sample_rate=sample_rate) for one, audio in zip(layers, rendered, strict=True)}
    heard = {name for name, job in jobs.items() if job != SILENT}
    clicks = {name for name in heard if jobs[name] == CLICK}
    return clicks if clicks and clicks != heard else None


def click_db(hit: Hit, *, sample_rate: int, bpm: float) -> float | None:
    """K-weighted energy of a hit's clicks over that of all its other layers, dB; None without either."""
    clicks = clicks_of(hit, sample_rate=sample_rate, bpm=bpm)
    return None if clicks is None else _over_body_db(hit, clicks, sample_rate, bpm)


def _over_body_db(hit: Hit, clicks: set[str], sample_rate: int, bpm: float) -> float:
    sides = []
    for own in (True, False):
        layers = [layer for layer in hit.heard() if (layer.id in clicks) == own]
        rendered = rendered_layers(hit, layers, sample_rate=sample_rate, bpm=bpm)
        whole = sum_layers(layers, rendered, sample_rate=sample_rate)
        sides.append(energy_loudness_db(whole.mono, sample_rate=sample_rate))
    return sides[0] - sides[1]


@dataclass(frozen=True)
class Balanced:
    """A hit with its clicks moved against its body, where that comes to, dB, and by how much it is louder than before."""

    hit: Hit
    click_db: float
    louder_db: float


def with_click(hit: Hit, wanted_db: float, *, sample_rate: int, bpm: float) -> Balanced:
    """A hit with its clicks so far over its body, as loud as it was as far as the levels of its layers go.

    Raises InvalidTrack where it has only one of the two.
    """
    clicks = clicks_of(hit, sample_rate=sample_rate, bpm=bpm)
    loudness_db = stroke_loudness_db(hit, sample_rate=sample_rate, bpm=bpm)
    if clicks is None or loudness_db is None:
        raise InvalidTrack("click and body are two things: this hit has layers of only one of them; add the other")
    by_db = wanted_db - _over_body_db(hit, clicks, sample_rate, bpm)
    for _ in range(ROUNDS):
        found = _balanced(hit, clicks, by_db, loudness_db, sample_rate, bpm)
        lost_db = -found.louder_db - MOST_LOST_DB
        if lost_db < NEAR_DB:
            break
        # A click that cannot be louder leaves the body to give way: not until the hit is gone.
        by_db -= lost_db
    return found


def _balanced(hit: Hit, clicks: set[str], by_db: float, loudness_db: float, sample_rate: int, bpm: float) -> Balanced:
    """Clicks moved against the body by so much, both together to where the hit is as loud as asked."""
    moves = {layer.id: by_db if layer.id in clicks else 0.0 for layer in hit.layers}
    ends = _ends_of_all(hit, moves)
    made, all_db, found_db = hit, inside(0.0, ends), loudness_db
    for _ in range(ROUNDS):
        made = _moved(hit, moves, all_db)
        heard_db = stroke_loudness_db(made, sample_rate=sample_rate, bpm=bpm)
        found_db = loudness_db if heard_db is None else heard_db
        nearer = inside(all_db + loudness_db - found_db, ends)
        if abs(nearer - all_db) < NEAR_DB:
            break
        all_db = nearer
    return Balanced(made, _over_body_db(made, clicks, sample_rate, bpm), found_db - loudness_db)


def _own_ends(hit: Hit, layer: Layer) -> tuple[float, float]:
    limits = limits_of(Layer, "gain_db")
    assert limits is not None  # noqa: S101 - a layer's level is a ruler
    return ranges_of(hit).get((layer.id, None, "gain_db"), limits.ends)


def _ends_of_all(hit: Hit, moves: dict[str, float]) -> tuple[float, float]:
    """How far all layers may be moved together, each by its own besides, before one of them ends, dB."""
    room = [
        (low - layer.gain_db - moves[layer.id], high - layer.gain_db - moves[layer.id])
        for layer in hit.heard()
        for low, high in (_own_ends(hit, layer),)
    ]
    low, high = max(one for one, _ in room), min(one for _, one in room)
    # Where nothing is left between, the balance is as near as each level comes for itself.
    return (low, high) if low <= high else (0.0, 0.0)


def _moved(hit: Hit, moves: dict[str, float], all_db: float) -> Hit:
    layers = tuple(
        layer.model_copy(
            update={"gain_db": round(inside(layer.gain_db + moves[layer.id] + all_db, _own_ends(hit, layer)), 2)}
        )
        for layer in hit.layers
    )
    return hit.model_copy(update={"layers": layers})
