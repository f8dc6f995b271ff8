"""How parts are called, and what they are for."""

from __future__ import annotations

from typing import Literal

Role = Literal["kick", "snare", "clap", "hat", "open hat", "tom", "percussion", "rumble", "sub", "chord"]
# The rest of the track: a stem that plays along, counts in the levels, and is not delivered.
CONTEXT: Literal["context"] = "context"
PartRole = Role | Literal["bass", "context"]
# The part that is the kick, and the one that is the bass: a track has one of each.
KICK_ID, BASS_PART = "kick", "bass"
PART_PATTERN = r"^[a-z0-9-]+$"
# Parts of a track, kick and bass among them: so many hits and stems beside those two.
MOST_PARTS = 40
MOST_KIT = MOST_PARTS - 2
# Ids that would be taken for another part, or for a part in another state, where files are named.
RESERVED_IDS, RESERVED_ENDINGS = (KICK_ID, BASS_PART), ("-before", "-unducked")


def reserved(part_id: str) -> str | None:
    """Why nothing beside kick and bass may have this id; None where it may."""
    if part_id in RESERVED_IDS:
        return f"must not be {part_id!r}, which is the {part_id}'s own; choose another"
    ending = next((one for one in RESERVED_ENDINGS if part_id.endswith(one)), None)
    if ending is None:
        return None
    return f"must not end in {ending!r}, got {part_id!r}: its files would be taken for another part's; choose another"
