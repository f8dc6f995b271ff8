"""How far each step is, from what is measured: not begun, to look at, to fix or done; and the one thing to do next."""

from __future__ import annotations

from typing import Literal, get_args

import numpy as np
from pydantic import BaseModel, ConfigDict

from juglant.core.analysis.analyse import SILENT_PEAK, Analysis
from juglant.core.findings.finding import Finding, Step

State = Literal["not begun", "to look at", "to fix", "done", "ready"]
# A goal is met within this: no plan comes nearer than it measures.
MET_DB = 0.5


class StepState(BaseModel):
    """One step: its state, how many findings are open there, and what to do next there in one sentence."""

    model_config = ConfigDict(frozen=True)
    step: Step
    state: State
    open: int
    next: str


def step_states(found: Analysis, findings: list[Finding]) -> tuple[StepState, ...]:
    """Every step, in the order of work."""
    out = []
    for step in get_args(Step):
        own = [one for one in findings if one.step == step and not one.intended]
        fixes = [one for one in own if one.severity == "fix"]
        looks = [one for one in own if one.severity == "look"]
        begun, said = _BEGUN[step](found)
        state: State = "to fix" if fixes else "to look at" if looks else begun
        if pressing := next(iter((*fixes, *looks)), None):
            said = f"{pressing.title}: mend it, or mark it as intended."
        out.append(StepState(step=step, state=state, open=len(fixes) or len(looks), next=said))
    return tuple(out)


def _track(found: Analysis) -> tuple[State, str]:
    track, end = found.track, found.track.sheet.length_beats
    struck = any(stroke.at_beats < end for one in track.kit for stroke in track.strokes_of(one))
    kicks, notes = track.kicks(), track.notes()
    if not (kicks or notes or struck):
        return "not begun", "Set key and tempo, then write kicks on the first row of the pattern, or load a loop."
    if not kicks:
        return "done", "No kick is written yet: its row is the first of the pattern."
    if not notes:
        return "done", "No bass note is written yet: draw them on the rows of the key, or put the roots under every kick."
    return "done", "Pattern and line are written: go on to their sounds."


def _hits(found: Analysis) -> tuple[State, str]:
    if _silent(found):
        return "not begun", "Start the kick from a sound in your key, or load one."
    return "done", "Strike the pads, and shape what is not yet as you want it."


def _tune(found: Analysis) -> tuple[State, str]:
    if found.kick is None or found.kick.landing.landing_hz is None:
        return "not begun", "There is no pitch of a kick to tune yet: give it a sound first."
    return "done", "Where the kick lands fits the key: see how it beats with each note of the line."


def _clear(found: Analysis) -> tuple[State, str] | None:
    """What is said where kick and bass cannot be compared, or are clear already."""
    clearance = found.clearance
    if clearance.before_db is None or clearance.after_db is None:
        why = clearance.reason or "kick and bass do not meet in the low end"
        return "not begun", f"Nothing is measured yet: {why}."
    if (clearance.short_db or 0.0) <= MET_DB:
        goal = f"the goal of {clearance.goal.db:.1f} dB"
        met = f"and {goal} is met" if not clearance.short_db else f"within {MET_DB:g} dB of {goal}"
        return "done", f"{clearance.after_db:.1f} dB, {met}: listen to before and after."
    return None


def _separate(found: Analysis) -> tuple[State, str]:
    if (clear := _clear(found)) is not None:
        return clear
    short = found.clearance.short_db or 0.0
    if found.track.carve.on:
        return "done", f"The carve has taken its share: {short:.1f} dB are left for the duck."
    return "not begun", f"The goal is missed by {short:.1f} dB: compute the carve, or compare owners first."


def _duck(found: Analysis) -> tuple[State, str]:
    if (clear := _clear(found)) is not None:
        return clear
    short = found.clearance.short_db or 0.0
    if found.track.duck.on:
        return (
            "done",
            f"The duck does what it may, and {short:.1f} dB are missing: deepen it, carve more, or turn one part down.",
        )
    return "not begun", f"The goal is missed by {short:.1f} dB: compute the duck."


def _deliver(found: Analysis) -> tuple[State, str]:
    if _silent(found):
        return "not begun", "There is nothing to deliver yet: nothing sounds."
    return "ready", "Download everything: stems, hits, MIDI, ducks and the figures to set."


def _silent(found: Analysis) -> bool:
    return not np.any(np.abs(found.stems.loop) > SILENT_PEAK)


_BEGUN = {"track": _track, "hits": _hits, "tune": _tune, "separate": _separate, "duck": _duck, "deliver": _deliver}
