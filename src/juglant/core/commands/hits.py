"""Commands on hits: layers added, fitted and morphed, lengths, and what is brought to the key."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from juglant.core.analysis.chain_changes import bass_changes, hit_changes
from juglant.core.commands.command import Asked, Done, OfHit, OfPart
from juglant.core.errors import InvalidTrack
from juglant.core.hit.click_body import LEAST_CLICK_DB, MOST_CLICK_DB, with_click
from juglant.core.hit.levelled import stroke_loudness_db
from juglant.core.hit.roll import morphed
from juglant.core.hit.strokes import stroke_tempo
from juglant.core.hit.transpose import Way
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.ids import BASS_PART, MOST_PARTS
from juglant.core.model.part import Part
from juglant.core.model.track import Track
from juglant.core.music.notes import nearest_note
from juglant.core.music.scales import spelled
from juglant.core.music.tempo import beat_ms
from juglant.core.parameter.fields import within
from juglant.core.pictures.ladder import draw_ladder, nearest_moves
from juglant.core.plans.driven_highs import LEAST_SPLIT_HZ, MOST_SPLIT_HZ, SPLIT_HZ, with_driven_highs
from juglant.core.plans.plan import layers_fitted
from juglant.core.tune.added import with_layer
from juglant.core.tune.cure import Evening, cure_of, evened, without_beats
from juglant.core.tune.length import LONGEST_MS, SHORTEST_MS, with_length
from juglant.core.tune.retune import tuned
from juglant.core.tune.schools import by_school
from juglant.core.tune.targets import School

LOWEST_HZ, HIGHEST_HZ = 16.0, 4000.0
LEAST_SAID_DB = 0.1
SCHOOL_LABELS: dict[School, str] = {
    "tonic": "{} on the tonic",
    "fifth": "{} on the fifth",
    "chords": "{} follows the chords",
    "unpitched": "{} short and unpitched",
}


class AddLayer(OfHit):
    """A layer more in a hit, in tune, in step and at its level."""

    kind: Literal["add-layer"] = "add-layer"
    layer: Layer

    def done(self, track: Track) -> Done:
        """The track with it, and what was done to it."""
        added = with_layer(track, self.part, self.layer)
        return Done(added.track, f"Add {self.layer.name}", (added.said,))


class StartFrom(OfHit):
    """Another whole sound for a hit; its level in the loop stays, whatever the sound's own."""

    kind: Literal["start-from"] = "start-from"
    hit: Hit
    name: str = Field(min_length=1, max_length=60)

    def done(self, track: Track) -> Done:
        """The track with that sound; said: by how much its level was moved, and what its ruler lacks for that."""
        rate, bpm = track.sheet.sample_rate, track.sheet.bpm
        made = track.with_hit(self.part, self.hit)
        label, now = f"Start from {self.name}", made.part(self.part).gain_db
        before, after = (stroke_loudness_db(one.hit_of(self.part).hit, sample_rate=rate, bpm=bpm) for one in (track, made))
        if self.part == BASS_PART or before is None or after is None:
            return Done(made, label)
        by_db = round(before - after, 1)
        gain_db = within(Part, "gain_db", now + by_db)
        made = made.with_part(self.part, gain_db=gain_db)
        if abs(by_db) < LEAST_SAID_DB:
            return Done(made, label)
        said = f"its level in the loop stays: {gain_db - now:+.1f} dB for this sound"
        if abs(now + by_db - gain_db) >= LEAST_SAID_DB:
            said += f"; {abs(now + by_db - gain_db):.1f} dB are missing, its ruler ends"
        return Done(made, label, (said,))


class DriveHighs(OfPart):
    """The highs of a part driven above a split, its lows as they were: on its bus, or on the bass's line."""

    kind: Literal["drive-highs"] = "drive-highs"
    split_hz: float | None = Field(
        default=None, ge=LEAST_SPLIT_HZ, le=MOST_SPLIT_HZ, description="Where it is split; empty: at the usual place."
    )

    def done(self, track: Track) -> Done:
        """The track with it; said: what it changed of the low end and of all of it. Raises InvalidTrack, NoSuchPart."""
        split_hz = SPLIT_HZ if self.split_hz is None else self.split_hz
        made = with_driven_highs(track, self.part, split_hz)
        moved = bass_changes(made) if self.part == BASS_PART else hit_changes(made, self.part).bus
        change = next(iter(moved), None)
        if change is None or change.low_db is None or change.loudness_db is None:
            said = f"above {split_hz:g} Hz is driven; nothing of it sounds yet"
        else:
            said = (
                f"above {split_hz:g} Hz is driven: loudness {change.loudness_db:+.1f} dB, the low end "
                f"{change.low_db:+.1f} dB"
            )
        return Done(made, "Drive the highs", (said,))


class FitLayers(OfHit):
    """The layers of a hit where they sum best in the low band."""

    kind: Literal["fit-layers"] = "fit-layers"

    def done(self, track: Track) -> Done:
        """The track with them; the same where there is nothing to fit."""
        return Done(layers_fitted(track, self.part), "Fit the layers")


class Morph(OfHit):
    """A hit between two others; share: how far from the first to the second, 0 to 1."""

    kind: Literal["morph"] = "morph"
    one: Hit
    other: Hit
    share: float = Field(ge=0, le=1)

    def done(self, track: Track) -> Done:
        """The track with that hit in place of the one that is there."""
        made = morphed(self.one, self.other, self.share)
        return Done(track.with_hit(track.hit_of(self.part).id, made), f"Morph {round(100 * self.share)} %")


class SetLength(OfHit):
    """A hit as long as asked by its holds, decays and recordings; the length is measured, not computed."""

    kind: Literal["length"] = "length"
    length_ms: float = Field(ge=SHORTEST_MS, le=LONGEST_MS)

    def done(self, track: Track) -> Done:
        """The track with it; raises InvalidTrack where it does not come so far."""
        beats = self.length_ms / beat_ms(track.sheet.bpm)
        label = f"{track.hit_of(self.part).name}: {self.length_ms:.0f} ms long, {beats:.2f} beats"
        return Done(with_length(track, self.part, self.length_ms), label)


class ClickToBody(OfHit):
    """The clicks of a hit so far over its body, the hit as loud as it was; click_db: K-weighted energy, dB."""

    kind: Literal["click-to-body"] = "click-to-body"
    click_db: float = Field(ge=LEAST_CLICK_DB, le=MOST_CLICK_DB)

    def done(self, track: Track) -> Done:
        """The track with it; said: where levels end before it is reached. Raises InvalidTrack, NoSuchPart."""
        one, rate = track.hit_of(self.part), track.sheet.sample_rate
        found = with_click(one.hit, self.click_db, sample_rate=rate, bpm=stroke_tempo(one.hit, track.sheet.bpm))
        said = []
        if abs(found.click_db - self.click_db) > LEAST_SAID_DB:
            said.append(f"the click is {found.click_db:+.1f} dB over the body, not {self.click_db:+.1f}: a level ends")
        if abs(found.louder_db) > LEAST_SAID_DB:
            said.append(f"the loudness of {one.name} moves by {found.louder_db:+.1f} dB: a level ends")
        return Done(track.with_hit(one.id, found.hit), f"{one.name}: click {self.click_db:+.1f} dB over body", tuple(said))


class ShortenKick(Asked):
    """The kick so short that no note of the line swells against it."""

    kind: Literal["shorten-kick"] = "shorten-kick"

    def done(self, track: Track) -> Done:
        """The track with it; raises InvalidTrack where it cannot be."""
        return Done(without_beats(track), "Shorten the kick")


class TuneMove(BaseModel):
    """One hit and where it should land."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    hit_id: str = Field(max_length=40)
    frequency_hz: float = Field(ge=LOWEST_HZ, le=HIGHEST_HZ)
    way: Way = "as set"


class Tune(Asked):
    """Hits moved to where they should land: all of them, or none."""

    kind: Literal["tune"] = "tune"
    moves: tuple[TuneMove, ...] = Field(min_length=1, max_length=MOST_PARTS - 1)

    def done(self, track: Track) -> Done:
        """The track with them; raises InvalidTrack where one has no pitch."""
        made = track
        for move in self.moves:
            made = tuned(made, move.hit_id, move.frequency_hz, move.way)
        return Done(made, _landed(track, self.moves))


def _landed(track: Track, moves: tuple[TuneMove, ...]) -> str:
    if len(moves) != 1:
        return f"Tune {len(moves)} hits"
    sheet, move = track.sheet, moves[0]
    number, _ = nearest_note(move.frequency_hz, sheet.a4_hz)
    return f"Land {track.hit_of(move.hit_id).name} on {spelled(number, sheet.tonic, sheet.scale, sheet.middle_c)}"


class TuneAll(Asked):
    """Every pitched hit on its nearest note of the key."""

    kind: Literal["tune-all"] = "tune-all"

    def done(self, track: Track) -> Done:
        """The track with them; raises InvalidTrack where all are there."""
        wanted = nearest_moves(draw_ladder(track).hits)
        if not wanted:
            raise InvalidTrack("every pitched hit is on a note of the key, or marked as intended; there is nothing to tune")
        return Tune(moves=tuple(TuneMove(hit_id=name, frequency_hz=hz) for name, hz in wanted.items())).done(track)


class FollowSchool(OfHit):
    """A hit as one school of tuning asks: on the tonic, on the fifth, following the chords, short and unpitched."""

    kind: Literal["school"] = "school"
    school: School
    way: Way = "as set"

    def done(self, track: Track) -> Done:
        """The track with it; raises InvalidTrack where it cannot be."""
        label = SCHOOL_LABELS[self.school].format(track.hit_of(self.part).name)
        return Done(by_school(track, self.part, self.school, self.way), label)


class TakeCure(Asked):
    """One cure of the kick against a note of the line."""

    kind: Literal["cure"] = "cure"
    note: int = Field(ge=0, le=127)
    cure: str = Field(max_length=40)

    def done(self, track: Track) -> Done:
        """The track with it; raises NoSuchPart where there is no such cure."""
        one = cure_of(track, self.note, self.cure)
        return Done(one.track, one.title)


class EvenLine(Asked):
    """Every note's own level set so that all of the line are as loud."""

    kind: Literal["even-line"] = "even-line"
    way: Evening

    def done(self, track: Track) -> Done:
        """The track with them."""
        return Done(evened(track, self.way), f"Even the line, {self.way}")
