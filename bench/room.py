"""The clash map, carve, ducks and compressor matches, over several bars."""

from __future__ import annotations

import time
from typing import Any

from bench.line import Line, bars_of, timed_ms

LENGTHS_BARS = (1, 2, 4, 8, 16)


def clash_bands(track: Any, stems: Any) -> tuple[Any, Any]:
    """Bands and contest of rendered stems, measured anew."""
    from juglant.core.analysis.analyse import BandTable
    from juglant.core.analysis.stem_bands import kick_strokes
    from juglant.core.measure.bands import low_band_frames
    from juglant.core.separate.clearance import find_contest

    every = stems.kick_before, stems.bass_before, stems.kick, stems.bass, stems.bass_unducked, stems.kick
    table = BandTable(*(low_band_frames(one, sample_rate=track.sheet.sample_rate) for one in every))
    return table, find_contest(table.kick_before, table.bass_before, track.sheet.owner, kick_strokes(track))


def planned_over_rendered() -> float:
    """Carve and duck planned and measured again, over rendering and measuring the same eight bars before."""
    from juglant.core.analysis.analyse import analyse
    from juglant.core.memory import forget
    from juglant.core.plans.plan import make_room

    track, ratios = bars_of(8), []
    for _ in range(3):
        forget()
        began = time.perf_counter()
        analyse(track)
        there = time.perf_counter()
        analyse(make_room(track))
        ratios.append((time.perf_counter() - there) / (there - began))
    return sorted(ratios)[1]


def separate_lines() -> list[Line]:
    """The clash map and the plan, by the length of the loop: no worse than linear."""
    from juglant.core.analysis.analyse import contest_of
    from juglant.core.loop.render import render_stems
    from juglant.core.pictures.room import draw_map
    from juglant.core.plans.bare import without_room
    from juglant.core.plans.plan import plan_carve

    maps, plans = {}, {}
    for bars in LENGTHS_BARS:
        track = without_room(bars_of(bars))
        stems = render_stems(track)

        def mapped(track: Any = track, stems: Any = stems) -> None:
            draw_map(track, *clash_bands(track, stems))

        def planned(track: Any = track) -> None:
            # With the re-measure of what the carve left.
            carved, _, _ = plan_carve(track)
            contest_of(carved)

        planned()
        maps[bars], plans[bars] = timed_ms(mapped, 3), timed_ms(planned, 3)
    mirrored = without_room(bars_of(8))
    mirrored = mirrored.model_copy(update={"carve": mirrored.carve.model_copy(update={"mirror_pct": 50})})
    shown = "/".join(str(bars) for bars in LENGTHS_BARS)
    return [
        Line("clash map of eight bars", maps[8], "ms", 250),
        Line("carve planned and measured again, eight bars", plans[8], "ms", 400),
        Line("carve and duck planned and measured, over rendered and measured", planned_over_rendered(), "x", 1.2),
        Line("the same with half a mirror on the owner", timed_ms(lambda: plan_carve(mirrored), 3), "ms"),
        *(Line(f"the same, {bars} bars", plans[bars], "ms") for bars in LENGTHS_BARS if bars != 8),
        # Linear would be 16: under that it grows more slowly than the loop.
        Line(f"plan, sixteen bars over one ({shown})", plans[16] / plans[1], "x", 16),
        Line("map, sixteen bars over one", maps[16] / maps[1], "x", 20),
    ]


def duck_lines() -> list[Line]:
    """Fits of targets over eight bars, and what to type into a compressor."""
    from juglant.core.duck.compressor import key_level, match_compressor
    from juglant.core.loop.gain import part_rows
    from juglant.core.loop.place import loop_frames
    from juglant.core.loop.render import render_stem
    from juglant.core.model.duck import Duck, Ducked
    from juglant.core.model.hit import Hit, Layer
    from juglant.core.model.part import Part
    from juglant.core.model.stem import KICK
    from juglant.core.model.strokes import Stroke
    from juglant.core.plans.ducks import plan_part, plan_targets
    from juglant.core.synth.chord import Chord

    # Six low chords that meet the kick, so that each has to be solved.
    strokes = tuple(Stroke(at_beats=float(4 * bar), velocity=127) for bar in range(8))
    hit = Hit(layers=(Layer(id="c", name="C", source=Chord(landing_hz=60, hold_ms=1200, chord="fifth")),))
    parts = [
        Part(id=f"low-{i}", name=f"Low {i}", role="chord", hit=hit, strokes=strokes, gain_db=0.5 * i) for i in range(6)
    ]
    ducked = Ducked(curves=(Duck(on=True),))
    track = bars_of(8).having(kit=tuple(one.model_copy(update={"ducked": ducked}) for one in parts))
    plan_targets(track)
    rows = part_rows(track, "bass", loop_frames(track))
    rate = track.sheet.sample_rate

    def matched() -> None:
        match_compressor(rows, key_level(render_stem(track, KICK), sample_rate=rate))

    return [
        Line("duck of one part fitted, eight bars", timed_ms(lambda: plan_part(track, "bass"), 3), "ms", 120),
        Line("ducks of six parts fitted, eight bars", timed_ms(lambda: plan_targets(track), 3), "ms", 400),
        Line("compressor matched to a curve, eight bars", timed_ms(matched, 3), "ms", 600),
    ]
