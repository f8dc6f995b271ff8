"""The settings of every duck as plain text: what to type in elsewhere, on one sheet for print."""

from __future__ import annotations

from juglant.core.analysis.duck_aims import part_title
from juglant.core.analysis.part_duck import PartDuck, measure_part
from juglant.core.duck.curve import starts_s
from juglant.core.duck.keys import key_beats, trigger_beats
from juglant.core.duck.part_curves import curves_of, ducked_parts, followed, split_of
from juglant.core.memory import newest
from juglant.core.model.duck import Duck
from juglant.core.model.track import Track
from juglant.core.music.tempo import beat_ms, tempo_table
from juglant.services.ducks import CompressorRow, compressors_of

WIDTH, LABEL = 78, 18
# A time this near to a note value is called by its name.
NEAR_SHARE = 0.02
# Under this there is nothing to be measured.
NOTHING_DB = -150.0
KEYED_BY = {
    "kick": "the kick",
    "hits": "hits",
    "trigger": "the silent trigger",
    "grid": "the tempo grid",
    "notes": "the bass's notes",
}


def _line(label: str, text: str) -> str:
    return f"  {label:<{LABEL}}{text}"


def time_text(ms: float, track: Track) -> str:
    """A time in ms and beats, with the note value it is within 2 % of."""
    sheet = track.sheet
    near = min(tempo_table(sheet.bpm, sheet.sample_rate), key=lambda one: abs(one.ms - ms))
    named = f", {near.name} {near.form}" if ms > 0 and abs(near.ms - ms) <= NEAR_SHARE * near.ms else ""
    return f"{ms:.1f} ms, {ms / beat_ms(sheet.bpm):.3f} beat{named}"


def _db(value: float | None) -> str:
    return "none" if value is None else f"{round(value, 1) + 0.0:.1f} dB"


def _keys(track: Track, one: Duck) -> str:
    count = len(key_beats(track, one.key))
    who = KEYED_BY[one.key.kind]
    if one.key.kind == "hits":
        who = ", ".join(hit.name for hit in track.hits() if hit.id in one.key.hit_ids) or "no hit"
    if one.key.kind == "trigger":
        who += f" ({track.trigger.pattern})"
    return f"{who}, {count} in {track.sheet.bars} bar{'s' if track.sheet.bars != 1 else ''}"


def _curve(track: Track, one: Duck) -> list[str]:
    if one.drawn:
        points = [f"{point.at_ms:.1f} ms {point.gain_db:.1f} dB" for point in one.drawn]
        rows = [", ".join(points[i : i + 3]) for i in range(0, len(points), 3)]
        return [_line("Drawn, after key" if i == 0 else "", row) for i, row in enumerate(rows)]
    one = one.model_copy(update={"drive": "curve"})
    return [
        _line("Depth", f"{one.depth_db:.1f} dB"),
        _line("Begins before key", time_text(max(0.0, -1000 * starts_s(one)), track)),
        _line("Falls in", time_text(one.fall_ms, track)),
        _line("Held after key", time_text(one.hold_ms, track)),
        _line("Returns in", f"{time_text(one.return_ms, track)}, shape {one.shape:.2f}"),
        *([_line("Not in the first", f"{one.spare_ms:.0f} ms of its own starts")] if one.spare_ms else []),
    ]


def _compressor(row: CompressorRow, track: Track) -> list[str]:
    one = row.settings
    early = f", key sent {one.early_ms:.1f} ms early" if one.early_ms else ""
    off = f"off it by {row.rms_db:.1f} dB in the mean, {row.worst_db:.1f} at most"
    off = off if row.is_close else f"no match, {off}"
    reach = "" if row.clearance_db is None else f"; reaches {_db(row.clearance_db)}"
    return [
        _line(f"  {row.name.split(',')[0]}", f"threshold {one.threshold_db:.1f} dBFS, ratio {one.ratio:.2f}:1, "
              f"knee {one.knee_db:.1f} dB{early}"),
        _line("", f"attack {one.attack_ms:.1f} ms to 63 %, {row.attack_90_ms:.1f} ms to 90 %"),
        _line("", f"release {time_text(one.release_ms, track)} to 63 %,"),
        _line("", f"{row.release_90_ms:.1f} ms to 90 %; {off}{reach}"),
    ]  # fmt: skip


def _driven(one: Duck) -> list[str]:
    c = one.compressor
    more = {"off": "off", "computed": "computed", "manual": _db(c.make_up_db)}[c.make_up]
    return [
        _line("Heard now", f"a compressor: threshold {c.threshold_db:.1f} dBFS, ratio {c.ratio:.2f}:1,"
              f" knee {c.knee_db:.1f} dB,"),
        _line("", f"attack {c.attack_ms:.1f} ms, release {c.release_ms:.1f} ms to 63 %, key {c.early_ms:.1f} ms early,"),
        _line("", f"make-up {more}"),
    ]  # fmt: skip


def _guards(found: PartDuck) -> list[str]:
    one = found.guards
    click = "none" if one.start_click_db is None or one.start_click_db < NOTHING_DB else f"{one.start_click_db:.0f} dB"
    bent = "no pitch" if one.low_note_distortion_db is None else f"{one.low_note_distortion_db:.0f} dB"
    late, down = len(one.late_notes), _db(one.pile_up_db)
    return [
        _line("Guards", f"start click {click}, low-note distortion {bent}"),
        _line("", f"notes not back in time {late}, down at the next key {down}"),
    ]


def _part(track: Track, part: str) -> list[str]:
    found, name = measure_part(track, part), part_title(track, part)
    lines = [name.upper()]
    if found.after_db is not None and found.goal is not None:
        now, bare, goal = _db(found.after_db), _db(found.before_db), _db(found.goal.db)
        most = found.goal.kind == "at_most"
        what = f"Over the {found.owner.lower()}" if most else f"{found.owner} over it"
        lines.append(_line(what, f"{now}, without the duck {bare}, goal {'at most ' if most else ''}{goal}"))
    source, share = followed(track, part)
    if source != part:
        lines.append(_line("Follows", f"{part_title(track, source)}, {100 * share:.0f} % of its gain"))
    for index, one in enumerate(curves_of(track, part)):
        lines.append(_line("Keyed by" if index == 0 else f"Curve {index + 1}", _keys(track, one)))
        lines += _curve(track, one)
        if one.drive == "compressor":
            lines += _driven(one)
    if len(curves_of(track, part)) > 1:
        own = track.part(source).ducked
        limit = f" down to {own.limit_db:.0f} dB" if own.together == "sum" else ""
        lines.append(_line("Together", f"{'their sum' if limit else 'the deepest'}{limit}"))
    below = split_of(track, part)
    lines.append(_line("Works on", "the whole part" if below is None else f"what lies below {below:.0f} Hz"))
    if found.strokes:
        back = min(one.recovery_s for one in found.strokes) * 1000
        lines.append(_line("Back by", time_text(back, track)))
    lines += _guards(found)
    lines.append(_line("In a compressor", "keyed by the same key, no look-ahead, make-up off"))
    for row in compressors_of(track, part):
        lines += _compressor(row, track)
    return lines


@newest(4)
def settings_of(track: Track) -> str:
    """Every duck of a track as numbers (pure, remembered)."""
    sheet, parts = track.sheet, ducked_parts(track)
    head = f"{track.name}: every duck. {sheet.bpm:g} BPM, one beat {beat_ms(sheet.bpm):.2f} ms, {sheet.bars} bars."
    blocks = [[head, "Times to 63 % are time constants; hosts differ in what they call attack and release."]]
    blocks += [_part(track, part) for part in parts]
    if any(one.key.kind == "trigger" for part in parts for one in curves_of(track, part)):
        places = " ".join(f"{at + 1:g}" for at in trigger_beats(track))
        blocks.append([f"SILENT TRIGGER ({track.trigger.pattern}), on beats", f"  {places}"])
    if not parts:
        blocks.append(["Nothing is ducked."])
    return "\n\n".join("\n".join(one) for one in blocks) + "\n"
