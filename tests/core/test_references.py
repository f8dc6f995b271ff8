"""What a track's parts name of each other: removed together, refused where it never was, mended where it is stored."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from pydantic import ValidationError
from support import tone, version_one_of

from juglant.core.duck.part_curves import curves_of
from juglant.core.errors import InvalidTrack
from juglant.core.loop.render import render_stem
from juglant.core.model.duck import Duck, Key
from juglant.core.model.group import Group
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.mended import mended
from juglant.core.model.part import Part
from juglant.core.model.references import consistent, dangling, parts_of
from juglant.core.model.shared_space import Send, SharedSpace
from juglant.core.model.stem import StemRef
from juglant.core.model.strokes import Stroke
from juglant.core.model.track import Track, track_from_json, track_to_json
from juglant.core.model.version_one import Ducking, Target
from juglant.core.synth.skins import Skins
from juglant.core.synth.tail import Tail


def hit(part_id: str, hz: float = 110) -> Part:
    return Part(id=part_id, name=part_id.title(), role="tom", hit=tone(hz), strokes=(Stroke(at_beats=1),))


KEYED = Duck(on=True, key=Key(kind="hits", hit_ids=("hat", "clap")))
TRACK = Track(
    kick=tone(50),
    kick_at_beats=(0.0, 1.0),
    kit=(hit("hat"), hit("clap"), hit("pad")),
    duck=KEYED,
    ducking=Ducking(
        targets=(
            Target(part="hat", curves=(Duck(on=True),)),
            Target(part="clap", follows="hat"),
            Target(part="pad", curves=(KEYED,)),
        )
    ),
)


def without(track: Track, part: str) -> Track:
    return track.having(kit=tuple(one for one in track.kit if one.id != part))


def test_a_removed_hit_takes_along_what_named_it_and_nothing_else() -> None:
    made = consistent(without(TRACK, "hat"), TRACK)
    assert dangling(made) == []
    ducked = [(one.id, one.ducked.follows, len(one.ducked.curves)) for one in made.kit]
    assert ducked == [("clap", None, 0), ("pad", None, 1)]
    assert made.duck.key.hit_ids == made.part("pad").ducked.curves[0].key.hit_ids == ("clap",)
    assert consistent(TRACK) is TRACK
    assert made.having(kit=TRACK.kit, duck=TRACK.duck) == TRACK
    assert made.hit_of("pad").hit == TRACK.hit_of("pad").hit


NAMES: dict[str, Callable[[Track], Track]] = {
    "target": lambda t: t.having(ducking=Ducking(targets=(Target(part="gong"),))),
    "follows": lambda t: t.having(ducking=Ducking(targets=(Target(part="hat", follows="gong"),))),
    "key": lambda t: t.having(duck=Duck(key=Key(kind="hits", hit_ids=("gong",)))),
    "key of a part": lambda t: t.having(
        ducking=Ducking(targets=(Target(part="hat", curves=(Duck(key=Key(hit_ids=("gong",))),)),))
    ),
    "struck": lambda t: t.with_hit("hat", Hit(layers=(Layer(id="s", name="S", source=Skins(), struck_by="gong"),))),
}


@pytest.mark.parametrize("where", NAMES)
def test_a_name_of_what_was_never_there_is_refused_with_where_it_stands(where: str) -> None:
    with pytest.raises(InvalidTrack, match="'gong', which"):
        consistent(NAMES[where](TRACK), TRACK)
    with pytest.raises(InvalidTrack, match="'gong', which"):
        consistent(NAMES[where](TRACK))


def test_a_removed_layer_takes_along_its_locks_and_what_it_strikes() -> None:
    struck = Layer(id="skin", name="Skin", source=Skins(), struck_by="stick")
    layers = (Layer(id="stick", name="Stick", source=Tail()), struck)
    one = Hit(layers=layers, front=("stick/gain_db", "skin/gain_db"), locked=("stick/gain_db",))
    before = TRACK.with_hit("hat", one)
    assert consistent(before) is before
    made = consistent(before.with_hit("hat", one.model_copy(update={"layers": (struck,)})), before).hit_of("hat").hit
    assert (made.layers[0].struck_by, made.front, made.locked) == (None, ("skin/gain_db",), ())


@pytest.mark.parametrize(
    ("part_id", "where"),
    [
        ("kick", r"parts\.2: .*has the role 'kick'"), ("bass", r"parts\.2: .*has the role 'bass'"),
        *((name, r"parts\.2\.id: .*choose another") for name in ("hat-before", "pad-unducked", "x-band-unducked")),
    ],
)  # fmt: skip
def test_an_id_that_could_be_another_parts_is_refused_with_the_reason(part_id: str, where: str) -> None:
    with pytest.raises(ValidationError, match=where.split(": ")[1]):
        hit(part_id)
    document = json.loads(track_to_json(TRACK))
    document["parts"][2]["id"] = part_id
    with pytest.raises(InvalidTrack, match=where):
        track_from_json(json.dumps(document))


@pytest.mark.parametrize("part_id", ["hat-2", "before", "unducked", "kit-hat", "bass-drum", "loop"])
def test_other_ids_are_files_of_their_own(part_id: str) -> None:
    track = TRACK.having(kit=(*TRACK.kit, hit(part_id)))
    every = [StemRef(one, state) for one in parts_of(track) for state in ("heard", "unducked", "before")]  # type: ignore[arg-type]
    assert len({ref.file_name for ref in every}) == len(every)


@pytest.mark.parametrize("old", ["hat-before", "bass"])
def test_what_is_stored_under_such_an_id_opens_under_another_and_sounds_the_same(old: str) -> None:
    new = f"{old}-part"
    keyed_by_it = Duck(on=True, key=Key(kind="hits", hit_ids=(new,)))
    wanted = TRACK.having(
        kit=(hit(new), *TRACK.kit[1:]),
        duck=Duck(on=True, key=Key(kind="hits", hit_ids=(new, "clap"))),
        ducking=Ducking(targets=(Target(part="pad", curves=(keyed_by_it,)),)),
    )
    text = json.dumps(version_one_of(wanted)).replace(f'"{new}"', f'"{old}"')
    made, said = mended(text)
    assert made == wanted
    assert len(said) == 1
    assert f"{old!r} is called {new!r} now" in said[0]
    assert render_stem(made, StemRef(new)).any()
    assert curves_of(made, "pad")[0].key.hit_ids == (new,)


def test_what_dangles_in_a_stored_track_is_taken_out_and_said() -> None:
    text = track_to_json(without(TRACK, "hat"))
    made, said = mended(text)
    assert made == consistent(without(TRACK, "hat"), TRACK)
    assert len(said) == 3
    assert all("taken out" in one for one in said)


@pytest.mark.parametrize("count", [0, 12, 38])
def test_a_track_has_forty_parts_kick_and_bass_among_them_hits_or_stems(count: int) -> None:
    hits = tuple(hit(f"h{i}") for i in range(38 - count))
    stems = tuple(hit(f"s{i}").model_copy(update={"role": "context"}) for i in range(count))
    full = track_from_json(track_to_json(Track(kit=(*hits, *stems))))
    assert len(full.kit) == 38
    with pytest.raises(ValidationError, match="at most 40 parts, kick and bass among them, got 41"):
        Track(kit=(*hits, *stems, hit("one-more")))


def test_a_role_changed_under_a_plan_takes_along_what_no_longer_fits() -> None:
    """A part that becomes the rest of the track goes through no bus and feeds no space; its ducks and its line stay."""
    room = SharedSpace(id="room", name="Room", sends=(Send(part="hat"), Send(part="pad")))
    drums = Group(id="drums", name="Drums", members=("hat", "clap"))
    before = TRACK.model_copy(update={"spaces": (room,), "groups": (drums,)})
    made = consistent(before.with_part("hat", role="context"), before)
    assert [one.part for one in made.spaces[0].sends] == ["pad"]
    assert made.groups[0].members == ("clap",)
    assert made.part("hat").ducked == before.part("hat").ducked
    assert made.part("clap").ducked.follows == "hat"
    assert dangling(made) == []
    # A second kick is a hit among hits; a second bass, or a kick that is none, there is not.
    assert consistent(before.with_part("hat", role="kick"), before).part("hat").role == "kick"
    for part, role in (("hat", "bass"), ("kick", "snare"), ("bass", "sub")):
        with pytest.raises(InvalidTrack, match="role"):
            before.with_part(part, role=role)
