"""All findings: one line a module."""

from __future__ import annotations

from collections.abc import Callable

from juglant.core.findings import duck_findings, hit_findings, separate_findings, track_findings, tune_findings
from juglant.core.findings.finding import Finding, marked
from juglant.core.mix.analyse import Analysis

FINDERS: tuple[Callable[[Analysis], list[Finding]], ...] = (
    *track_findings.FINDERS,
    *hit_findings.FINDERS,
    *tune_findings.FINDERS,
    *separate_findings.FINDERS,
    *duck_findings.FINDERS,
)


def find_all(found: Analysis) -> list[Finding]:
    """What the numbers say about a track, most pressing first; pure."""
    return marked([finding for finder in FINDERS for finding in finder(found)], found.track)
