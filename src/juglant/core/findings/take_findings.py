"""Findings of recorded sounds: those that are not there."""

from __future__ import annotations

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings.finding import Finding
from juglant.core.loop.used_takes import NAMELESS, UsedTake, missing_takes


def takes_that_are_missing(found: Analysis) -> list[Finding]:
    """A recorded sound that is used and is nowhere: it is silent."""
    return [_missing(one) for one in missing_takes(found.track)]


def _missing(one: UsedTake) -> Finding:
    what = "No sound is chosen" if one.take == NAMELESS else f"{one.file} is not here"
    return Finding(
        id=one.finding,
        step="hits",
        severity="fix",
        title="A recorded sound is missing",
        reason=f"{what}: {one.where} is silent. Load its file again, or the track's bundle.",
        value=None,
        unit="",
        limit=None,
        limit_kind="this project's choice",
        hit_id=one.hit_id,
    )


FINDERS = (takes_that_are_missing,)
