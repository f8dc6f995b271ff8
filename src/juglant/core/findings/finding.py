"""What a finding is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from pydantic import BaseModel, ConfigDict

from juglant.core.model.track import Track

Severity = Literal["note", "look", "fix"]
LimitKind = Literal["published", "common practice", "this project's choice"]
Step = Literal["track", "hits", "tune", "separate", "duck", "deliver"]
# What of its step a finding is about, where that is not the step's main matter.
Topic = Literal["roots", "line", "floor", "other parts"]
# A finding marked as intended speaks again when its value has moved by more than this share.
CHANGED_SHARE = 0.05
Solve = Callable[[Track], Track]


class Fix(BaseModel):
    """A change that would answer a finding: the changed track, what is solved when it is asked for, or that on this."""

    model_config = ConfigDict(frozen=True)
    label: str
    track: Track | None = None
    solve: Solve | None = None


class Finding(BaseModel):
    """One thing the numbers say."""

    model_config = ConfigDict(frozen=True)
    id: str
    step: Step
    topic: Topic | None = None
    severity: Severity
    title: str
    reason: str
    value: float | None
    unit: str
    limit: float | None
    limit_kind: LimitKind
    place_beats: float | None = None
    hit_id: str | None = None
    fixes: tuple[Fix, ...] = ()
    intended: bool = False


def is_intended(track: Track, finding: str, value: float | None) -> bool:
    """Whether a finding was marked as intended and its value is still what it was then."""
    return any(one.finding == finding and _same(one.value, value) for one in track.intended)


def marked(findings: list[Finding], track: Track) -> list[Finding]:
    """Findings with those set apart that the user marked as intended and whose value has not changed since."""
    out = []
    for finding in findings:
        if is_intended(track, finding.id, finding.value):
            finding = finding.model_copy(update={"intended": True})
        out.append(finding)
    order = {"fix": 0, "look": 1, "note": 2}
    return sorted(out, key=lambda one: (one.intended, order[one.severity]))


def _same(before: float | None, now: float | None) -> bool:
    if before is None or now is None:
        return before == now
    return abs(now - before) <= max(abs(before) * CHANGED_SHARE, 0.05)
