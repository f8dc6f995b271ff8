"""All findings: one line a module."""

from __future__ import annotations

from collections.abc import Callable

from juglant.core.analysis.analyse import Analysis
from juglant.core.findings import (
    bass_findings,
    coincidence_findings,
    duck_findings,
    hit_findings,
    late_findings,
    layer_findings,
    level_findings,
    line_findings,
    loop_findings,
    part_line_findings,
    room_findings,
    separate_findings,
    sides_findings,
    tail_findings,
    take_findings,
    track_findings,
    tune_findings,
)
from juglant.core.findings.finding import Finding, Fix, marked
from juglant.core.loop.kick_loop import heard_in_the_loop
from juglant.core.model.ids import KICK_ID
from juglant.core.model.track import Track

FINDERS: tuple[Callable[[Analysis], list[Finding]], ...] = (
    *track_findings.FINDERS,
    *hit_findings.FINDERS,
    *layer_findings.FINDERS,
    *sides_findings.FINDERS,
    *bass_findings.FINDERS,
    *take_findings.FINDERS,
    *loop_findings.FINDERS,
    *late_findings.FINDERS,
    *tune_findings.FINDERS,
    *line_findings.FINDERS,
    *part_line_findings.FINDERS,
    *tail_findings.FINDERS,
    *room_findings.FINDERS,
    *separate_findings.FINDERS,
    *coincidence_findings.FINDERS,
    *duck_findings.FINDERS,
    *level_findings.FINDERS,
)


def find_all(found: Analysis) -> list[Finding]:
    """What the numbers say about a track, most pressing first; pure."""
    return marked([finding for finder in FINDERS for finding in finder(found)], found.track)


def applied(fix: Fix, track: Track) -> Track:
    """The track with a fix applied."""
    made = fix.track if fix.track is not None else track
    if fix.solve is not None:
        made = fix.solve(made)
    if made.kick != track.kick and made.kick_loop.plays and not heard_in_the_loop(track, made):
        # The loop stays as recorded: what is changed is its stroke, which is played from then on.
        made = made.with_part(KICK_ID, loop=made.kick_loop.model_copy(update={"on": False}))
    return made
