"""The steps that change a track: carve it, duck it, both, or undo them; each returns a new track."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from juglant.core.duck.solve import DuckPlan
from juglant.core.hit.fit import fit_layers, fitted
from juglant.core.measure.bands import low_band_frames
from juglant.core.mix.analyse import BandTable, contest_of
from juglant.core.mix.ducks import plan_part, plan_targets
from juglant.core.mix.kit import stroke_tempo
from juglant.core.mix.render import Stems, render_stem, render_stems
from juglant.core.mix.used_takes import missing_takes, said_missing, with_every_take
from juglant.core.model.carve import Carve, Move
from juglant.core.model.duck import BASS_PART, Duck
from juglant.core.model.kit import KICK_ID
from juglant.core.model.sheet import Owner
from juglant.core.model.stem import BASS, KICK
from juglant.core.model.track import Track
from juglant.core.music.notes import note_hz
from juglant.core.separate.carve import CarvePlan, solve_carve
from juglant.core.separate.carve_judge import carve_problem
from juglant.core.separate.clearance import GOALS, Contest, kick_clearance
from juglant.core.separate.filters import yielder

# The mirror follows the cuts, and they it: this often again.
OWNER_ROUNDS = 2
# What of the carve is a way of working, and stays when it is taken off.
KEPT = ("floor_hz", "phase", "mirror_pct")


def without_room(track: Track) -> Track:
    """The track before any carve or duck; the floor filter goes too."""
    return track.model_copy(update={"carve": Carve(**{name: getattr(track.carve, name) for name in KEPT}), "duck": Duck()})


def _measured(track: Track) -> tuple[Stems, Contest, BandTable]:
    stems = render_stems(track)
    contest, table = contest_of(track, stems)
    return stems, contest, table


def plan_carve(track: Track, *, ducked: bool = False) -> tuple[Track, CarvePlan | None, str]:
    """The track with the computed carve, the plan, and why there is none where there is none.

    ducked: for what its duck leaves over, not for all of it.
    """
    sheet = with_every_take(track, {KICK_ID, BASS_PART}).sheet
    bare = track if ducked else track.model_copy(update={"duck": track.duck.model_copy(update={"on": False})})
    # The floor filter is a stage of its own: the carve is judged through it.
    stems, contest, table = _measured(bare.model_copy(update={"carve": bare.carve.model_copy(update={"on": False})}))
    if contest.reason is not None:
        return track, None, contest.reason
    kick_yields = yielder(sheet.owner) == "kick"
    cells = contest.active & np.array(contest.judged)[:, None]
    problem = carve_problem(
        stems.kick if kick_yields else stems.bass if ducked else stems.bass_unducked,
        contest,
        GOALS[sheet.owner],
        other_energy=float((table.bass if kick_yields else table.kick)[cells].sum()),
        yielder_is_kick=kick_yields,
        note_hz=[] if kick_yields else [note_hz(note.note, sheet.a4_hz) for note in track.notes()],
        floor_hz=track.carve.floor_hz,
        sample_rate=sheet.sample_rate,
        linear_phase=track.carve.phase == "linear",
    )
    plan = solve_carve(problem, contest)
    # What the owner has is asked for once more where it is lifted by what is cut.
    for _ in range(OWNER_ROUNDS * (track.carve.mirror_pct > 0 and bool(plan.moves))):
        lifted = bare.model_copy(update={"carve": bare.carve.model_copy(update={"on": True, "moves": plan.moves})})
        own = render_stem(lifted, (BASS if ducked else BASS.of("unducked")) if kick_yields else KICK)
        energy = float(low_band_frames(own, sample_rate=sheet.sample_rate)[cells].sum())
        again = solve_carve(replace(problem, other_energy=energy), contest, near=plan.moves)
        if not again.moves:
            # The lift is there only with the cut: without moves it would go as well.
            break
        plan = again
    if not plan.moves:
        return track, plan, "no carve is needed: the goal is reached without one"
    carve = track.carve.model_copy(update={"on": True, "moves": plan.moves})
    return track.model_copy(update={"carve": carve}), plan, ""


def plan_duck(track: Track) -> tuple[Track, DuckPlan]:
    """The track with the computed duck of the bass, and the plan."""
    return plan_part(track, BASS_PART)


def layers_fitted(track: Track, hit_id: str = KICK_ID) -> Track:
    """The track with a hit's layers where they sum best in the low band; unchanged where there is nothing to fit."""
    hit = track.hit_of(hit_id).hit
    fit = fit_layers(hit, track.sheet.sample_rate, stroke_tempo(hit, track.sheet.bpm))
    return track if fit is None else track.with_hit(hit_id, fitted(hit, fit))


@dataclass(frozen=True)
class Planned:
    """A track with its computed carve and duck, and what they reach in plain sentences."""

    track: Track
    said: tuple[str, ...]


def planned(track: Track, owner: Owner | None = None) -> Planned:
    """Carve and duck computed for a track, for another owner of the sub where one is given."""
    if owner is not None:
        track = track.model_copy(update={"sheet": track.sheet.model_copy(update={"owner": owner})})
    carved, carve, why = plan_carve(track)
    if carve is None:
        return Planned(carved, (why,))
    done, _ = plan_duck(carved)
    done, others = plan_targets(done)
    goal = GOALS[track.sheet.owner]
    _, contest, table = _measured(done)
    before = kick_clearance(table.kick_before, table.bass_before, contest)
    alone = kick_clearance(table.kick, table.bass_unducked, contest)
    after = kick_clearance(table.kick, table.bass, contest)
    asked = f"goal {'at least' if goal.kind == 'at_least' else 'at most'} {goal.db:.1f} dB"
    said = [f"kick clearance before {_db(before)}, carved {_db(alone)}, with the duck {_db(after)}; {asked}"]
    said += [why] if why else []
    said += [_move_said(move, yielder(track.sheet.owner)) for move in done.carve.moves if done.carve.on]
    said.append(f"duck {done.duck.depth_db:.1f} dB" if done.duck.on else "no duck is needed")
    said += [
        f"duck {part}: {plan.duck.depth_db:.1f} dB; {plan.reason}" if plan.duck.on else f"no duck of {part}: {plan.reason}"
        for part, plan in others.items()
    ]
    said += [f"not counted in: {said_missing(one)}" for one in missing_takes(done)]
    short = goal.short_db(after) if after is not None else 0.0
    if short > 0.1:
        part = yielder(done.sheet.owner)
        said.append(
            f"short of the goal by {short:.1f} dB: what this owner asks is beyond what carve and duck may do; "
            f"the {part} {short:.1f} dB lower would reach it, or another owner"
        )
    return Planned(done, tuple(said))


def _db(value: float | None) -> str:
    return "none" if value is None else f"{value:.1f} dB"


def _move_said(move: Move, part: str) -> str:
    return f"{move.shape} on the {part} at {move.frequency_hz:.1f} Hz, {move.gain_db:+.1f} dB, Q {move.q:.2f}"


def make_room(track: Track) -> Track:
    """Carve first, then duck what is left."""
    return plan_duck(plan_carve(track)[0])[0]
