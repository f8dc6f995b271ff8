"""Many parts over many bars against few over few: both rendered and measured from nothing, in one run."""

from __future__ import annotations

import statistics
import time

from bench.line import Line

ROUNDS = 3
# The demo's own four bars, repeated.
OWN_BARS, OWN_BEATS, STEMS_FROM = 4, 16, 14


def parts_lines() -> list[Line]:
    """24 parts over sixteen bars re eight over eight."""
    from juglant.core.analysis.analyse import analyse
    from juglant.core.memory import forget
    from juglant.core.model.low_group import LowGroup
    from juglant.core.model.track import Track
    from juglant.core.model.version_one import Ducking
    from juglant.demo.kit import with_kit, with_targets
    from juglant.demo.track import solved_track

    demo = with_targets(with_kit(solved_track()))

    def made(parts: int, bars: int) -> Track:
        turns = range(bars // OWN_BARS)
        kit = []
        # Kick and bass are two of them.
        for number in range(parts - 2):
            one = demo.kit[number % len(demo.kit)]
            strokes = tuple(
                stroke.model_copy(update={"at_beats": stroke.at_beats + OWN_BEATS * turn})
                for turn in turns
                for stroke in one.strokes
                if stroke.at_beats < OWN_BEATS
            )
            role = one.role if number < STEMS_FROM else "context"
            gain_db = one.gain_db - 0.1 * number
            changes = {"id": f"part-{number}", "strokes": strokes, "role": role, "gain_db": gain_db}
            kit.append(one.model_copy(update=changes))
        notes = tuple(
            note.model_copy(update={"at_beats": note.at_beats + OWN_BEATS * turn})
            for turn in turns
            for note in demo.bass_notes
            if note.at_beats < OWN_BEATS
        )
        return demo.having(
            kit=tuple(kit),
            sheet=demo.sheet.model_copy(update={"bars": bars}),
            kick_at_beats=tuple(float(beat) for beat in range(4 * bars)),
            bass_notes=notes,
            ducking=Ducking(),
            low_group=LowGroup(),
        )

    few, many = made(8, 8), made(24, 16)

    def taken_s(track: Track) -> float:
        forget()
        began = time.perf_counter()
        analyse(track)
        return time.perf_counter() - began

    ratio = statistics.median(taken_s(many) / taken_s(few) for _ in range(ROUNDS))
    return [Line("24 parts over sixteen bars, re eight over eight", ratio, "times", 8)]
