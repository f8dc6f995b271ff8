"""The whole description of a track: everything else is computed from it."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, Literal, Self

from pydantic import Field, ValidationError, field_validator, model_validator

from juglant.core.chain.registry import MOST_PROCESSORS, AnyProcessor, Processor, widens
from juglant.core.chain.width import Width
from juglant.core.errors import InvalidTrack, NoSuchPart
from juglant.core.model.carve import Carve
from juglant.core.model.duck import BASS_PART, Duck, Ducking
from juglant.core.model.group import MOST_BUSES, Group, groups_told
from juglant.core.model.hit import Hit
from juglant.core.model.kit import (
    HIGHEST_NOTE,
    KICK_ID,
    LOWEST_NOTE,
    MOST_KIT,
    MOST_PARTS,
    Gliding,
    KitHit,
    Stroke,
    choke_group,
)
from juglant.core.model.level_line import MOST_LINES, LevelLine, lines_told
from juglant.core.model.limits import Limits
from juglant.core.model.low_group import LowGroup
from juglant.core.model.shared_space import MOST_SPACES, SharedSpace, spaces_told
from juglant.core.model.sheet import MOST_BEATS, STRAIGHT_PCT, Sheet
from juglant.core.model.steady import Steady
from juglant.core.model.velocity import HARDEST
from juglant.core.music.notes import note_hz, octaves_within
from juglant.core.parameter.parameter import Description, parameter
from juglant.core.synth.bass import Bass
from juglant.core.synth.recorded_loop import KickLoop

FORMAT = "juglant-track"
VERSION = 1
LOWEST_BASS_NOTE, HIGHEST_BASS_NOTE, MOST_BASS_NOTES = 12, 72, 512


class BassNote(Gliding):
    """One note of the bass line."""

    at_beats: float = Field(ge=0, lt=MOST_BEATS, json_schema_extra={"unit": "beats"})
    length_beats: float = Field(gt=0, le=MOST_BEATS, json_schema_extra={"unit": "beats"})
    note: int = Field(ge=LOWEST_BASS_NOTE, le=HIGHEST_BASS_NOTE, description="MIDI note number, C4 = 60.")
    gain_db: float = parameter(0, -24, 6, "dB", "This note's own level.", title="Level", step=0.5)


class Mix(Description):
    """How the two low parts sit in the loop."""

    kick_gain_db: float = parameter(-6, -40, 6, "dB", "Kick level in the loop.", title="Kick level", step=0.5)
    bass_gain_db: float = parameter(-10, -40, 6, "dB", "Bass level in the loop.", title="Bass level", step=0.5)
    bass_shift_ms: float = parameter(0, -10, 10, "ms", "The whole line earlier or later.", title="Bass start", step=0.1)
    bass_inverted: bool = Field(default=False, title="Bass polarity", description="The bass turned upside down.")
    kick_choke: int = choke_group()
    bass_choke: int = choke_group()


class Intended(Description):
    """A finding marked as intended, quiet until its value changes."""

    finding: str = Field(max_length=80)
    value: float | None = None


class Track(Description):
    """One track: sheet, sounds, patterns, and what was done to make them fit."""

    format: Literal["juglant-track"] = "juglant-track"
    version: Literal[1] = 1
    name: str = Field(default="Untitled", min_length=1, max_length=80)
    sheet: Sheet = Sheet()
    kick: Hit = Hit()
    kick_at_beats: tuple[float, ...] = Field(default=(), max_length=256)
    kick_strokes: tuple[Stroke, ...] = Field(
        default=(), max_length=256, description="Kicks that are not at full strength on the grid."
    )
    kick_loop: KickLoop = KickLoop()
    kit: tuple[KitHit, ...] = Field(
        default=(),
        description="Every other hit and every stem, in order.",
        json_schema_extra={"most_kit": MOST_KIT},
    )
    bass: Bass = Bass()
    bass_notes: tuple[BassNote, ...] = Field(default=(), max_length=MOST_BASS_NOTES)
    bass_chain: tuple[Processor, ...] = Field(
        default=(),
        max_length=MOST_PROCESSORS,
        title="Chain of the bass",
        description="What its whole line goes through, whatever it is made of, before its level.",
    )
    steady: Steady = Steady()
    mix: Mix = Mix()
    carve: Carve = Carve()
    duck: Duck = Duck()
    ducking: Ducking = Ducking()
    limits: Limits = Limits()
    level_lines: tuple[LevelLine, ...] = Field(default=(), max_length=MOST_LINES, description="Levels drawn over the loop.")
    low_group: LowGroup = LowGroup()
    groups: tuple[Group, ...] = Field(default=(), max_length=MOST_BUSES, description="Parts that share a bus.")
    spaces: tuple[SharedSpace, ...] = Field(default=(), max_length=MOST_SPACES, description="Rooms and echoes.")
    intended: tuple[Intended, ...] = Field(default=(), max_length=100)

    @field_validator("kit")
    @classmethod
    def _rumbles_follow_the_kick(cls, kit: tuple[KitHit, ...]) -> tuple[KitHit, ...]:
        # The kick is put in where a rumble is rendered; a stored copy would go stale.
        return tuple(
            one.model_copy(update={"hit": one.hit.model_copy(update={"kick": None})}) if one.hit.kick else one
            for one in kit
        )

    @field_validator("bass_chain")
    @classmethod
    def _lows_stay_in_the_middle(cls, chain: tuple[AnyProcessor, ...]) -> tuple[AnyProcessor, ...]:
        if any(isinstance(one, Width) for one in chain):
            raise ValueError(
                "a delayed copy takes notes out of the bass's lows in mono; its own width leaves them alone: use that"
            )
        return chain

    @model_validator(mode="after")
    def _patterns_fit_the_loop(self) -> Self:
        # Beyond the loop is kept, so that fewer bars and back loses nothing; rendering ignores it.
        for at in self.kick_at_beats:
            if not 0 <= at < MOST_BEATS:
                raise ValueError(f"kick_at_beats must be 0 to below {MOST_BEATS}, got {at}")
        if len(set(self.kick_at_beats)) != len(self.kick_at_beats):
            raise ValueError("kick_at_beats must not name a position twice")
        ids = [one.id for one in self.kit]
        if len(set(ids)) != len(ids):
            twice = next(one for one in ids if ids.count(one) > 1)
            raise ValueError(f"ids of the kit must differ from each other, got {twice!r} twice")
        self._doublings_told()
        lines_told(self.level_lines)
        groups_told(self.groups, {KICK_ID, BASS_PART, *ids})
        spaces_told(self.spaces, {KICK_ID, BASS_PART, *ids, *(one.id for one in self.groups)})
        if len(ids) > MOST_KIT:
            raise ValueError(
                f"a track has at most {MOST_PARTS} parts, kick and bass among them, got {len(ids) + 2}: take some out"
            )
        return self

    def _doublings_told(self) -> None:
        """Raise ValueError where a part doubles itself, or one that doubles another."""
        by_id = {one.id: one for one in self.kit}
        for one in self.kit:
            if one.doubles is None:
                continue
            leader = by_id.get(one.doubles.of)
            if one.doubles.of == one.id or (leader is not None and leader.doubles is not None):
                raise ValueError(
                    f"{one.name} cannot double {one.doubles.of!r}, which has no line of its own: double the one that has"
                )

    @property
    def bass_has_sides(self) -> bool:
        """Whether the bass has two sides: by its width, or by what its chain makes."""
        return self.bass.has_sides or any(widens(one) for one in self.bass_chain)

    def kick_hit(self) -> KitHit:
        """The kick as one hit among others."""
        felt = {stroke.at_beats: stroke for stroke in self.kick_strokes}
        strokes = tuple(felt.get(at) or Stroke(at_beats=at, velocity=HARDEST) for at in self.kick_at_beats)
        return KitHit.model_construct(
            id=KICK_ID,
            name="Kick",
            role="kick",
            hit=self.kick,
            strokes=strokes,
            gain_db=self.mix.kick_gain_db,
            choke=self.mix.kick_choke,
            muted=False,
        )

    def strokes_of(self, one: KitHit) -> tuple[Stroke, ...]:
        """Strokes of a hit as it plays them: its own, or the line that it doubles, as many octaves away."""
        if one.doubles is None:
            return one.strokes
        if one.doubles.of == BASS_PART:
            written = tuple(as_stroke(note) for note in self.bass_notes)
        else:
            written = next(
                (each.strokes for each in (self.kick_hit(), *self.kit) if each.id == one.doubles.of), one.strokes
            )
        return tuple(octaves_away(stroke, one.doubles.octaves) for stroke in written)

    def _as_played(self, one: KitHit) -> KitHit:
        """A hit of the kit with the kick that its rumble is made of, and the line that it doubles."""
        if one.doubles is not None:
            one = one.model_copy(update={"strokes": self.strokes_of(one), "doubles": None})
        if not one.hit.has_rumble:
            return one
        made_of = self.kick.model_copy(update={"kick": None, "locked": (), "front": ()})
        return one.model_copy(update={"hit": one.hit.model_copy(update={"kick": made_of})})

    def hits(self) -> list[KitHit]:
        """Every hit, the kick first, as one kind of thing."""
        return [self.kick_hit(), *(self._as_played(one) for one in self.kit)]

    def hit_of(self, hit_id: str) -> KitHit:
        """One hit; raises NoSuchPart where there is none of that name."""
        if hit_id == KICK_ID:
            return self.kick_hit()
        for one in self.kit:
            if one.id == hit_id:
                return self._as_played(one)
        raise NoSuchPart(f"there is no hit {hit_id!r} in this kit")

    def with_hit(self, hit_id: str, hit: Hit) -> Track:
        """The track with another sound for one of its hits."""
        if hit_id == KICK_ID:
            return self.model_copy(update={"kick": hit})
        hit = hit.model_copy(update={"kick": None}) if hit.kick else hit
        kit = tuple(one.model_copy(update={"hit": hit}) if one.id == hit_id else one for one in self.kit)
        return self.model_copy(update={"kit": kit})

    def with_strokes(self, hit_id: str, strokes: tuple[Stroke, ...]) -> Track:
        """The track with other strokes of one of its hits; of the kick those as set go to its pattern alone."""
        if hit_id != KICK_ID:
            own = {"strokes": strokes, "doubles": None}
            kit = tuple(one.model_copy(update=own) if one.id == hit_id else one for one in self.kit)
            return self.model_copy(update={"kit": kit})
        places = tuple(stroke.at_beats for stroke in strokes)
        felt = tuple(one for one in strokes if one != Stroke(at_beats=one.at_beats, velocity=HARDEST))
        return self.model_copy(update={"kick_at_beats": places, "kick_strokes": felt})

    def played(self, hit: KitHit) -> list[Stroke]:
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
        inside = [note for note in self.bass_notes if note.at_beats < sheet.length_beats]
        if sheet.swing_pct > STRAIGHT_PCT:
            inside = [_swung(note, sheet) for note in inside]
        return sorted(inside, key=lambda note: note.at_beats)


def lowest_note_hz(track: Track) -> float | None:
    """The fundamental of the line's lowest note inside the loop, Hz; None without notes."""
    numbers = [note.note for note in track.notes()]
    return note_hz(min(numbers), track.sheet.a4_hz) if numbers else None


def as_stroke(note: BassNote) -> Stroke:
    """A note of the bass as a stroke at full strength."""
    own = note.model_dump(include={"at_beats", "length_beats", "note", "slide_ms", "bend_cents"})
    return Stroke(velocity=HARDEST, **own)


def octaves_away(stroke: Stroke, octaves: int) -> Stroke:
    """A stroke at its note, whole octaves away, as far as notes go; one without a note as it is."""
    if not octaves or stroke.note is None:
        return stroke
    note = octaves_within(stroke.note + 12 * octaves, LOWEST_NOTE, HIGHEST_NOTE)
    return stroke.model_copy(update={"note": note})


def _swung(note: BassNote, sheet: Sheet) -> BassNote:
    start, end = sheet.swung(note.at_beats), sheet.swung(note.at_beats + note.length_beats)
    return note.unchecked(at_beats=start, length_beats=end - start)


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
    try:
        return Track.model_validate(document)
    except ValidationError as error:
        lines = [f"{item['field']}: {item['message']}" for item in problems_of(error)]
        more = f"; and {len(lines) - 8} more" if len(lines) > 8 else ""
        raise InvalidTrack("; ".join(lines[:8]) + more) from None


def track_to_json(track: Track) -> str:
    """The description as JSON text, with every default written out."""
    return track.model_dump_json(indent=1) + "\n"


def track_to_line(track: Track) -> str:
    """The same on one line, as it is stored."""
    return track.model_dump_json()
