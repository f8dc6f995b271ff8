"""Findings of recorded sounds: those that are not there."""

from __future__ import annotations

from juglant.core.findings.finding import Finding
from juglant.core.mix.analyse import Analysis
from juglant.core.synth.take import Take
from juglant.core.synth.takes import NO_TAKE, find_take


def missing_takes(found: Analysis) -> list[Finding]:
    """A recorded sound that is used and is nowhere: it is silent."""
    track, out = found.track, []
    for one in track.hits():
        for layer in one.hit.layers:
            if isinstance(layer.source, Take) and layer.source.take != NO_TAKE and find_take(layer.source.take) is None:
                out.append(_missing(f"take-missing-{one.id}-{layer.id}", f"{layer.name} of {one.name}", one.id))
    bass = track.bass
    if bass.source in ("recorded note", "recorded line") and (bass.take is None or find_take(bass.take) is None):
        out.append(_missing("take-missing-bass", "the bass", None))
    loop = track.kick_loop
    if loop.plays and loop.take and find_take(loop.take) is None:
        out.append(_missing("take-missing-kick-loop", "the kick's loop", None))
    return out


def _missing(name: str, what: str, hit_id: str | None) -> Finding:
    return Finding(
        id=name,
        step="hits",
        severity="fix",
        title="A recorded sound is missing",
        reason=f"The sound of {what} is not in this database: it is silent. Load its file again, or the track's bundle.",
        value=None,
        unit="",
        limit=None,
        limit_kind="this project's choice",
        hit_id=hit_id,
    )


FINDERS = (missing_takes,)
