"""Every finding: a track that has it, one that does not, and fixes that answer it."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from support import sheet_with

from juglant.core.analysis.analyse import Analysis, analyse
from juglant.core.findings.finding import Finding
from juglant.core.findings.registry import applied, find_all
from juglant.core.model.carve import Carve
from juglant.core.model.duck import Duck
from juglant.core.model.hit import Hit, Layer
from juglant.core.model.strokes import BassNote
from juglant.core.model.track import Intended, Track
from juglant.core.synth.beater import Beater
from juglant.core.synth.sweep import Sweep
from juglant.core.synth.tail import Tail


def kick_of(*sources: Sweep | Beater | Tail) -> Hit:
    return Hit(layers=tuple(Layer(id=f"l{i}", name="L", source=source) for i, source in enumerate(sources)))


def with_kick(*sources: Sweep | Beater | Tail) -> Callable[[Track], Track]:
    return lambda track: track.having(kick=kick_of(*sources))


def with_duck(**settings: float) -> Callable[[Track], Track]:
    return lambda track: track.having(duck=Duck(on=True, **settings))


def with_notes(*notes: tuple[float, float, int]) -> Callable[[Track], Track]:
    line = tuple(BassNote(at_beats=at, length_beats=length, note=note) for at, length, note in notes)
    return lambda track: track.having(bass_notes=line)


def _subsonic(track: Track) -> Track:
    low = Tail(landing_hz=20, attack_ms=5, hold_ms=400, decay_ms=400)
    carve = track.carve.model_copy(update={"floor_on": False})
    return track.having(kick=kick_of(*[layer.source for layer in track.kick.layers], low), carve=carve)


def _turned(track: Track) -> Track:
    layers = tuple(layer.model_copy(update={"inverted": layer.id == "tail"}) for layer in track.kick.layers)
    return track.having(kick=Hit(layers=layers))


def _with_whisper(track: Track) -> Track:
    whisper = Layer(id="whisper", name="Whisper", source=Beater(), gain_db=-60)
    return track.having(kick=Hit(layers=(*track.kick.layers, whisper)))


LONG = Sweep(landing_hz=58.27, hold_ms=200, decay_ms=900)
MIDDLING = Sweep(landing_hz=58.27, hold_ms=40, decay_ms=300)
FLAT = Sweep(landing_hz=60.2, hold_ms=60, decay_ms=300)

# finding, what makes it, severities it may have then, whether its first fix must make it go away
CASES: list[tuple[str, Callable[[Track], Track], set[str], bool]] = [
    ("landing-out-of-key", with_kick(FLAT), {"fix", "look"}, True),
    ("no-stable-pitch", with_kick(Beater(decay_ms=60)), {"note"}, False),
    ("kick-too-long", with_kick(LONG), {"look"}, True),
    (
        "tail-against-bass",
        lambda t: with_notes((0, 4, 36), (4, 4, 36), (8, 4, 36), (12, 4, 36))(with_kick(MIDDLING)(t)),
        {"look", "fix"},
        False,
    ),
    ("bass-starts", lambda t: t, {"note"}, False),
    ("clearance-short", lambda t: t.having(carve=Carve(), duck=Duck()), {"fix"}, False),
    ("duck-not-back", with_duck(depth_db=12, hold_ms=300, return_ms=300), {"look", "fix"}, True),
    ("pile-up", with_duck(depth_db=12, hold_ms=100, return_ms=600), {"look"}, True),
    ("duck-uncovered", lambda t: with_duck(depth_db=12, hold_ms=100, return_ms=60)(with_kick(LONG)(t)), {"look"}, False),
    (
        "start-click",
        lambda t: with_duck(depth_db=24, fall_ms=1, lookahead_ms=0, hold_ms=100)(t.model_copy(update={"carve": Carve()})),
        {"look", "fix"},
        False,
    ),
    ("low-note-distortion", with_duck(depth_db=24, return_ms=20, hold_ms=50), {"look", "fix"}, False),
    ("pumping", with_duck(depth_db=9), {"note"}, False),
    ("subsonic-cost", _subsonic, {"look"}, True),
    ("layers-cancel", _turned, {"look"}, True),
    ("adds-nothing-whisper", _with_whisper, {"note"}, True),
    ("true-peak", lambda t: t.with_part("kick", gain_db=0).with_part("bass", gain_db=0), {"look", "fix"}, True),
]


def the(findings: list[Finding], name: str) -> Finding | None:
    return next((one for one in findings if one.id == name), None)


@pytest.mark.parametrize(("name", "change", "severities", "cured"), CASES, ids=[case[0] for case in CASES])
def test_each_finding_speaks_and_its_fixes_answer(
    name: str, change: Callable[[Track], Track], severities: set[str], cured: bool, solved: Track
) -> None:
    track = change(solved)
    finding = the(find_all(analyse(track)), name)
    assert finding is not None
    assert finding.severity in severities
    assert finding.title
    assert finding.reason
    assert finding.limit_kind in {"published", "common practice", "this project's choice"}
    for fix in finding.fixes:
        fixed = applied(fix, track)
        assert fixed != track
        again = the(find_all(analyse(fixed)), name)
        if cured:
            quieter = again is not None and again.severity == "note" and finding.severity != "note"
            assert again is None or quieter, fix.label
        elif again is not None and finding.value is not None and again.value is not None:
            # Where one step is not enough it is at least one in the right direction.
            better = abs(again.value - (finding.limit or 0.0)) < abs(finding.value - (finding.limit or 0.0))
            assert better, fix.label


QUIET = {"no-stable-pitch", "kick-too-long", "landing-out-of-key", "clearance-short", "duck-not-back", "start-click",
         "low-note-distortion", "subsonic-cost", "true-peak", "tail-against-bass",
         "layers-cancel"}  # fmt: skip


def test_the_solved_demo_has_nothing_to_fix_or_look_at(found: Analysis) -> None:
    names = {one.id for one in find_all(found)}
    assert not names & QUIET


def test_the_untouched_demo_is_out_of_key_and_clashes(found_untouched: Analysis) -> None:
    findings = find_all(found_untouched)
    assert {one.id for one in findings if one.severity == "fix"} >= {"landing-out-of-key", "clearance-short"}
    # Most pressing first.
    order = [{"fix": 0, "look": 1, "note": 2}[one.severity] for one in findings]
    assert order == sorted(order)


def test_intended_is_quiet_until_its_value_changes(untouched: Track) -> None:
    finding = the(find_all(analyse(untouched)), "clearance-short")
    assert finding is not None
    marked = untouched.model_copy(update={"intended": (Intended(finding="clearance-short", value=finding.value),)})
    again = the(find_all(analyse(marked)), "clearance-short")
    assert again is not None
    assert again.intended
    louder = marked.with_part("bass", gain_db=-2.0)
    changed = the(find_all(analyse(louder)), "clearance-short")
    assert changed is not None
    assert not changed.intended


def test_findings_are_pure(found: Analysis) -> None:
    assert find_all(found) == find_all(found)


@pytest.mark.parametrize(("starts", "share"), [((0.0, 1.0), 100), ((0.5,), 0), ((0.0, 0.5), 50)])
def test_bass_with_the_kick_or_in_its_gaps(starts: tuple[float, ...], share: float, untouched: Track) -> None:
    line = with_notes(*((at, 0.5, 34) for at in starts))
    finding = the(find_all(analyse(line(untouched))), "bass-starts")
    assert finding is not None
    assert finding.value == pytest.approx(share)


@pytest.mark.parametrize("owner", ["kick-is-bass", "kick"])
def test_a_long_kick_is_normal_where_the_kick_is_the_bass(owner: str, untouched: Track) -> None:
    finding = the(find_all(analyse(with_kick(LONG)(sheet_with(untouched, owner=owner)))), "kick-too-long")
    assert finding is not None
    assert finding.severity == ("note" if owner == "kick-is-bass" else "look")


def test_a_line_left_outside_a_new_key_is_told_and_moved_along(untouched: Track) -> None:
    assert the(find_all(analyse(untouched)), "line-outside-key") is None
    # The demo's line is in B flat minor; a semitone up no note of it stays in the key's own place.
    moved = sheet_with(untouched, tonic="B")
    finding = the(find_all(analyse(moved)), "line-outside-key")
    assert finding is not None
    assert finding.value == sum(note.note % 12 not in {11, 1, 2, 4, 6, 7, 9} for note in untouched.bass_notes) > 0
    assert finding.fixes[0].label == "Move the line by +1 semitones"
    along = applied(finding.fixes[0], moved)
    assert [note.note for note in along.bass_notes] == [note.note + 1 for note in untouched.bass_notes]
    for fix in finding.fixes:
        assert the(find_all(analyse(applied(fix, moved))), "line-outside-key") is None
    # On purpose it is quiet.
    marked = moved.model_copy(update={"intended": (Intended(finding="line-outside-key", value=finding.value),)})
    again = the(find_all(analyse(marked)), "line-outside-key")
    assert again is not None
    assert again.intended
