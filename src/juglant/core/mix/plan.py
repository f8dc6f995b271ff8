"""The steps that change a track: carve it, duck it, both, or undo them; each returns a new track."""

from __future__ import annotations

import numpy as np

from juglant.core.duck.solve import DuckPlan, solve_duck
from juglant.core.hit.fit import fit_layers, fitted
from juglant.core.measure.bands import low_band_frames
from juglant.core.mix.analyse import BandTable, contest_of
from juglant.core.mix.kit import stroke_tempo
from juglant.core.mix.render import Stems, render_stems
from juglant.core.model.carve import Carve
from juglant.core.model.duck import Duck
from juglant.core.model.kit import KICK_ID
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.separate.carve import CarvePlan, carve_problem, solve_carve
from juglant.core.separate.clearance import GOALS, Contest
from juglant.core.separate.filters import yielder


def without_room(track: Track) -> Track:
    """The track before any carve or duck; the floor filter goes too."""
    return track.model_copy(update={"carve": Carve(floor_hz=track.carve.floor_hz), "duck": Duck()})


def _measured(track: Track) -> tuple[Stems, Contest, BandTable]:
    stems = render_stems(track)
    contest, table = contest_of(track, stems)
    return stems, contest, table


def plan_carve(track: Track) -> tuple[Track, CarvePlan | None, str]:
    """The track with the computed carve, the plan, and why there is none where there is none."""
    sheet = track.sheet
    bare = track.model_copy(update={"duck": track.duck.model_copy(update={"on": False})})
    # The floor filter is a stage of its own: the carve is judged through it.
    stems, contest, table = _measured(bare.model_copy(update={"carve": bare.carve.model_copy(update={"on": False})}))
    if contest.reason is not None:
        return track, None, contest.reason
    kick_yields = yielder(sheet.owner) == "kick"
    cells = contest.active & np.array(contest.judged)[:, None]
    other = table.bass if kick_yields else table.kick
    problem = carve_problem(
        stems.kick if kick_yields else stems.bass_unducked,
        contest,
        GOALS[sheet.owner],
        other_energy=float(other[cells].sum()),
        yielder_is_kick=kick_yields,
        note_hz=[] if kick_yields else [note_hz(note.note, sheet.a4_hz) for note in track.notes()],
        floor_hz=track.carve.floor_hz,
        sample_rate=sheet.sample_rate,
    )
    plan = solve_carve(problem, contest)
    if not plan.moves:
        return track, plan, "no carve is needed: the goal is reached without one"
    carve = track.carve.model_copy(update={"on": True, "moves": plan.moves})
    return track.model_copy(update={"carve": carve}), plan, ""


def plan_duck(track: Track) -> tuple[Track, DuckPlan]:
    """The track with the computed duck, and the plan."""
    off = track.model_copy(update={"duck": track.duck.model_copy(update={"on": False})})
    stems, contest, table = _measured(off)
    plan = solve_duck(
        track,
        contest,
        kick_energy=table.kick,
        bass_unducked=stems.bass_unducked,
        bass_energy=low_band_frames(stems.bass_unducked, sample_rate=track.sheet.sample_rate),
    )
    return track.model_copy(update={"duck": plan.duck}), plan


def layers_fitted(track: Track, hit_id: str = KICK_ID) -> Track:
    """The track with a hit's layers where they sum best in the low band; unchanged where there is nothing to fit."""
    hit = track.hit_of(hit_id).hit
    fit = fit_layers(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))
    return track if fit is None else track.with_hit(hit_id, fitted(hit, fit))


def make_room(track: Track) -> Track:
    """Carve first, then duck what is left."""
    return plan_duck(plan_carve(track)[0])[0]
