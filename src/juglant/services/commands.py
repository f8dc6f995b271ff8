"""One way in: a command is carried out on a track as one step, and the ducks that it leaves behind are fitted with it."""

from __future__ import annotations

from dataclasses import replace

from juglant.core.commands.command import Done
from juglant.core.commands.registry import Command, carried_out
from juglant.core.commands.whole import REFITTED, Describe, FitDucks
from juglant.core.errors import InvalidTrack
from juglant.core.model.references import consistent
from juglant.core.model.track import Track
from juglant.services.tracks import State, Workspace


def command(
    store: Workspace, track_id: str, edition: int, asked: Command, *, gesture: str | None = None, fit: bool = True
) -> State:
    """Carry out a command and store what it made; raises Stale, InvalidTrack, NoSuchPart, and stores nothing then.

    gesture: of what belongs to one movement of the hand, undone together. fit: compute ducks again that the change leaves
    behind, in the same step. A command that had arrived already, and whose answer was lost, is not carried out again.
    """
    if isinstance(asked, Describe) and not fit:
        return store.edit(track_id, edition, asked.track, label=asked.label, gesture=gesture)
    known = store.arrived(track_id, edition, gesture)
    if known is not None:
        return known
    now = store.at(track_id, edition)
    done = carried_out(now.track, asked)
    if isinstance(asked, FitDucks):
        done = replace(done, label=f"{now.label.removesuffix(REFITTED)}{REFITTED}")
        # It belongs to the step that left them behind.
        gesture = now.gesture
    elif fit:
        done = _with_ducks(now.track, done)
    state = store.edit(track_id, edition, done.track, label=done.label, gesture=gesture)
    return replace(state, said=(*state.said, *done.said))


def _with_ducks(before: Track, done: Done) -> Done:
    """What was made with the ducks that it leaves behind computed again; where they cannot be, that is said."""
    made = consistent(done.track, before)
    if made == before:
        return done
    try:
        fitted = carried_out(made, FitDucks()).track
    except InvalidTrack as error:
        return replace(done, said=(*done.said, f"the ducks were not fitted again: {error}"))
    return done if fitted == made else replace(done, track=fitted, label=f"{done.label}{REFITTED}")
