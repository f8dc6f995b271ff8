"""The whole description of a track: everything else is computed from it."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, field_validator, model_validator

from juglant.core.chain.registry import AnyProcessor
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.model.carve import Carve
from juglant.core.model.distance import Distance
from juglant.core.model.duck import Duck, Trigger
from juglant.core.model.group import MOST_BUSES, Group, groups_told
from juglant.core.model.hit import Hit
from juglant.core.model.ids import BASS_PART, KICK_ID, MOST_PARTS
from juglant.core.model.limits import Limits
from juglant.core.model.low_group import LowGroup
from juglant.core.model.part import BASS, KICK, Part
from juglant.core.model.shared_space import MOST_SPACES, SharedSpace, spaces_told
from juglant.core.model.sheet import STRAIGHT_PCT, Sheet
from juglant.core.model.steady import Steady
from juglant.core.model.strokes import BassNote, Stroke, as_stroke, octaves_away
from juglant.core.model.version_one import FIELDS_OF_ONE, PartsOfOne, is_version_one, parts_of_one
from juglant.core.music.notes import note_hz
from juglant.core.parameter.parameter import Description
from juglant.core.synth.bass import LAYERS, Bass
from juglant.core.synth.recorded_loop import KickLoop

FORMAT = "juglant-track"
VERSION = 2


class Intended(Description):
    """A finding marked as intended, quiet until its value changes."""

    finding: str = Field(max_length=80)
    value: float | None = None


class Track(Description):
    """One track: sheet, parts in order, and what was done to make them fit."""

    format: Literal["juglant-track"] = "juglant-track"
    version: Literal[2] = 2
    name: str = Field(default="Untitled", min_length=1, max_length=80)
    sheet: Sheet = Sheet()
    parts: tuple[Part, ...] = Field(
        default=(KICK, BASS),
        description="Whatever sounds, in order: a kick, a bass, every other hit and every stem.",
        json_schema_extra={"most_parts": MOST_PARTS},
    )
    carve: Carve = Carve()
    trigger: Trigger = Trigger()
    limits: Limits = Limits()
    low_group: LowGroup = LowGroup()
    groups: tuple[Group, ...] = Field(default=(), max_length=MOST_BUSES, description="Parts that share a bus.")
    spaces: tuple[SharedSpace, ...] = Field(default=(), max_length=MOST_SPACES, description="Rooms and echoes.")
    intended: tuple[Intended, ...] = Field(default=(), max_length=100)

    @model_validator(mode="before")
    @classmethod
    def _from_version_one(cls, given: Any) -> Any:
        # Its own names are also a short way to say a track: a kick, a bass and the rest.
        return parts_of_one(given) if isinstance(given, Mapping) and is_version_one(given) else given

    @field_validator("parts")
    @classmethod
    def _rumbles_follow_the_kick(cls, parts: tuple[Part, ...]) -> tuple[Part, ...]:
        # The kick is put in where a rumble is rendered; a stored copy would go stale.
        return tuple(
            one.model_copy(update={"hit": one.hit.model_copy(update={"kick": None})}) if one.hit.kick else one
            for one in parts
        )

    @model_validator(mode="after")
    def _parts_fit_each_other(self) -> Self:
        # Beyond the loop is kept, so that fewer bars and back loses nothing; rendering ignores it.
        ids = [one.id for one in self.parts]
        if len(set(ids)) != len(ids):
            twice = next(one for one in ids if ids.count(one) > 1)
            raise ValueError(f"ids of parts must differ from each other, got {twice!r} twice")
        if absent := {KICK_ID, BASS_PART} - set(ids):
            raise ValueError(f"a track has a kick and a bass among its parts: {min(absent)!r} is missing")
        self._doublings_told()
        groups_told(self.groups, set(ids))
        spaces_told(self.spaces, {*ids, *(one.id for one in self.groups)})
        if len(ids) > MOST_PARTS:
            raise ValueError(
                f"a track has at most {MOST_PARTS} parts, kick and bass among them, got {len(ids)}: take some out"
            )
        return self

    def _doublings_told(self) -> None:
        """Raise ValueError where a part doubles itself or one that doubles another, or is kept behind in a circle."""
        by_id = {one.id: one for one in self.parts}
        for one in self.parts:
            front = by_id.get(one.distance.behind or "")
            if one.distance.behind in (KICK_ID, BASS_PART):
                raise ValueError(f"{one.name} cannot be kept behind the {one.distance.behind}, which stays near")
            if one.distance.behind == one.id or (front is not None and front.distance.behind is not None):
                raise ValueError(
                    f"{one.name} cannot be kept behind {one.distance.behind!r}, which has no place of its own: "
                    "keep it behind a part that has"
                )
            if one.doubles is None:
                continue
            leader = by_id.get(one.doubles.of)
            if one.doubles.of == one.id or (leader is not None and leader.doubles is not None):
                raise ValueError(
                    f"{one.name} cannot double {one.doubles.of!r}, which has no line of its own: double the one that has"
                )

    def part(self, part_id: str) -> Part:
        """One part as it is described; raises NoSuchPart where there is none of that name."""
        for one in self.parts:
            if one.id == part_id:
                return one
        raise NoSuchPart(f"there is no part {part_id!r} in this track")

    @property
    def kick_part(self) -> Part:
        """The part that is the kick."""
        return self.part(KICK_ID)

    @property
    def bass_part(self) -> Part:
        """The part that is the bass."""
        return self.part(BASS_PART)

    @property
    def kit(self) -> tuple[Part, ...]:
        """Every part beside kick and bass, in order."""
        return tuple(one for one in self.parts if one.id not in (KICK_ID, BASS_PART))

    @property
    def kick(self) -> Hit:
        """The sound of the kick."""
        return self.kick_part.hit

    @property
    def kick_loop(self) -> KickLoop:
        """The loop that the kick comes as."""
        return self.kick_part.loop

    @property
    def kick_at_beats(self) -> tuple[float, ...]:
        """Where kicks are written, in beats."""
        return tuple(stroke.at_beats for stroke in self.kick_part.strokes)

    @property
    def kick_strokes(self) -> tuple[Stroke, ...]:
        """Kicks that are not at full strength on the grid."""
        return tuple(stroke for stroke in self.kick_part.strokes if not stroke.plain)

    @property
    def bass(self) -> Bass:
        """The instrument of the bass."""
        return self.bass_part.instrument or Bass()

    @property
    def bass_notes(self) -> tuple[BassNote, ...]:
        """The notes of the bass."""
        return self.bass_part.notes

    @property
    def bass_chain(self) -> tuple[AnyProcessor, ...]:
        """What the whole line of the bass goes through."""
        return self.bass_part.chain

    @property
    def steady(self) -> Steady:
        """What holds the bass even."""
        return self.bass_part.steady

    @property
    def duck(self) -> Duck:
        """The first curve that the bass is ducked by."""
        return self.bass_part.ducked.curves[0]

    @property
    def bass_has_sides(self) -> bool:
        """Whether the bass has two sides."""
        return self.bass_part.has_sides

    def changed(self, part_id: str, change: Callable[[Part], Part]) -> Track:
        """The track with one of its parts changed; raises NoSuchPart where it is not there."""
        own = self.part(part_id)
        return self.model_copy(update={"parts": tuple(change(one) if one is own else one for one in self.parts)})

    def with_part(self, part_id: str, **changes: Any) -> Track:
        """The track with some fields of one of its parts changed; raises NoSuchPart where it is not there."""
        return self.changed(part_id, lambda one: one.model_copy(update=changes))

    def with_duck(self, curve: Duck) -> Track:
        """The track with another first curve of the bass."""
        own = self.bass_part.ducked
        return self.with_part(BASS_PART, ducked=own.model_copy(update={"curves": (curve, *own.curves[1:])}))

    def having(self, **changes: Any) -> Track:
        """The track with some fields changed, those of kick, bass and the rest by the names they have here."""
        own = {name: changes.pop(name) for name in FIELDS_OF_ONE & set(changes)}
        if own:
            try:
                said = PartsOfOne.model_validate(own)
                changes["parts"] = said.over(self.parts)
            except ValueError as error:
                raise InvalidTrack(str(error)) from None
            if "ducking" in own:
                changes["trigger"] = said.ducking.trigger
        return self.model_copy(update=changes)

    def kick_hit(self) -> Part:
        """The kick as one hit among others."""
        return self.kick_part

    def strokes_of(self, one: Part) -> tuple[Stroke, ...]:
        """Strokes of a hit as it plays them: its own, or the line that it doubles, as many octaves away."""
        if one.doubles is None:
            return one.strokes
        if one.doubles.of == BASS_PART:
            written = tuple(as_stroke(note) for note in self.bass_notes)
        else:
            written = next((each.strokes for each in self.parts if each.id == one.doubles.of), one.strokes)
        return tuple(octaves_away(stroke, one.doubles.octaves) for stroke in written)

    def distance_of(self, one: Part) -> Distance:
        """Where a part stands, with a figure of its own also where it is kept behind another."""
        return one.distance.seen_from(next((each.distance for each in self.parts if each.id == one.distance.behind), None))

    def _as_played(self, one: Part) -> Part:
        """A part with the kick that its rumble is made of, the line that it doubles, and how far away it stands."""
        if one.distance.behind is not None:
            one = one.model_copy(update={"distance": self.distance_of(one)})
        if one.doubles is not None:
            one = one.model_copy(update={"strokes": self.strokes_of(one), "doubles": None})
        if not one.hit.has_rumble or one.id == KICK_ID:
            return one
        made_of = self.kick.model_copy(update={"kick": None, "locked": (), "front": (), "ranges": ()})
        return one.model_copy(update={"hit": one.hit.model_copy(update={"kick": made_of})})

    def hits(self) -> list[Part]:
        """Every part that is struck, in order: all but the bass."""
        return [self._as_played(one) for one in self.parts if one.id != BASS_PART]

    def hit_of(self, hit_id: str) -> Part:
        """One part that is struck, or the bass where it is layers of its own; raises NoSuchPart where there is none of that
        name.
        """
        if hit_id == BASS_PART and self.bass.source == LAYERS:
            # Where its line is moved to is no matter of its strokes.
            return self.bass_part.unchecked(strokes=tuple(as_stroke(note) for note in self.bass_notes), shift_ms=0.0)
        for one in self.parts:
            if one.id == hit_id and one.id != BASS_PART:
                return self._as_played(one)
        raise NoSuchPart(f"there is no hit {hit_id!r} in this kit")

    def with_hit(self, hit_id: str, hit: Hit) -> Track:
        """The track with another sound for one of its hits."""
        hit = hit.model_copy(update={"kick": None}) if hit.kick and hit_id != KICK_ID else hit
        return self.with_part(hit_id, hit=hit)

    def with_strokes(self, hit_id: str, strokes: tuple[Stroke, ...]) -> Track:
        """The track with other strokes of one of its hits, which are its own then."""
        return self.with_part(hit_id, strokes=strokes, doubles=None)

    def played(self, hit: Part) -> list[Stroke]:
        """Strokes of a hit inside the loop where they sound, swing and timing in, in order."""
        sheet, out = self.sheet, []
        for stroke in () if hit.muted else self.strokes_of(hit):
            if stroke.at_beats < sheet.length_beats:
                start, moved = sheet.swung(stroke.at_beats), (stroke.shift_ms + hit.shift_ms) * sheet.bpm / 60000
                changes: dict[str, float] = {"at_beats": (start + moved) % sheet.length_beats, "shift_ms": 0.0}
                if stroke.length_beats is not None:
                    changes["length_beats"] = sheet.swung(stroke.at_beats + stroke.length_beats) - start
                out.append(stroke.unchecked(**changes))
        return sorted(out, key=lambda stroke: stroke.at_beats)

    def kicks(self) -> list[float]:
        """Where kicks sound inside the loop, in order, in beats."""
        return [stroke.at_beats for stroke in self.played(self.kick_hit())]

    def notes(self) -> list[BassNote]:
        """Bass notes inside the loop where they sound, in order."""
        sheet = self.sheet
        written = () if self.bass_part.muted else self.bass_notes
        inside = [note for note in written if note.at_beats < sheet.length_beats]
        if sheet.swing_pct > STRAIGHT_PCT:
            inside = [note.swung(sheet) for note in inside]
        return sorted(inside, key=lambda note: note.at_beats)


def lowest_note_hz(track: Track) -> float | None:
    """The fundamental of the line's lowest note inside the loop, Hz; None without notes."""
    numbers = [note.note for note in track.notes()]
    return note_hz(min(numbers), track.sheet.a4_hz) if numbers else None


def problem_of(item: Mapping[str, Any]) -> dict[str, str]:
    """Field path and plain message of one validation error, without the library's wording where there is a range."""
    path = ".".join(str(part) for part in item["loc"])
    context = item.get("ctx") or {}
    low, high = context.get("ge", context.get("gt")), context.get("le", context.get("lt"))
    bound = f"at least {low}" if low is not None else f"at most {high}" if high is not None else None
    got = item.get("input")
    if item.get("type") in ("too_long", "too_short") and "actual_length" in context:
        limit = context.get("max_length", context.get("min_length"))
        most = "at most" if item["type"] == "too_long" else "at least"
        return {"field": path or "track", "message": f"must have {most} {limit} items, got {context['actual_length']}"}
    value = type(got).__name__ if isinstance(got, (dict, list, bytes)) else repr(got)[:60]
    message = f"must be {bound}, got {value}" if bound else f"{item['msg']}, got {value}"
    if item.get("type") == "value_error":
        # Said by the model itself, with what it got.
        message = item["msg"].removeprefix("Value error, ")
    return {"field": path or "track", "message": message}


def problems_of(error: ValidationError) -> list[dict[str, str]]:
    """Field paths and plain messages of a failed validation."""
    return [problem_of(item) for item in error.errors(include_url=False)]


def track_from_json(text: str | bytes) -> Track:
    """Read a track description.

    Raises InvalidTrack, naming every field that is wrong with the allowed range, or saying that the
    text is not JSON, not a track, or written by a newer version.
    """
    try:
        document: Any = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise InvalidTrack(f"this is not JSON: {error}") from None
    return track_from_document(document)


def track_from_document(document: Any) -> Track:
    """The same for JSON that is read already."""
    if not isinstance(document, dict) or document.get("format") != FORMAT:
        raise InvalidTrack(f'this is not a track: its "format" must be "{FORMAT}"')
    version = document.get("version")
    if isinstance(version, int) and version > VERSION:
        raise InvalidTrack(f"this track was written by a newer Juglant (version {version}, this one reads {VERSION})")
    made, problems = document, list[dict[str, str]]()
    if is_version_one(document):
        try:
            made = parts_of_one(document)
        except ValueError as error:
            # What else is wrong is named with it.
            one = {"field": "track", "message": str(error)}
            problems += problems_of(error) if isinstance(error, ValidationError) else [one]
            made = {name: value for name, value in document.items() if name not in FIELDS_OF_ONE | {"version"}}
    try:
        track = Track.model_validate(made)
    except ValidationError as error:
        problems += problems_of(error)
    if problems:
        lines = [f"{item['field']}: {item['message']}" for item in problems]
        more = f"; and {len(lines) - 8} more" if len(lines) > 8 else ""
        raise InvalidTrack("; ".join(lines[:8]) + more)
    return track


def track_to_json(track: Track) -> str:
    """The description as JSON text, with every default written out."""
    return track.model_dump_json(indent=1) + "\n"


def track_to_line(track: Track) -> str:
    """The same on one line, as it is stored."""
    return track.model_dump_json()
