"""The command line over the core: measure, example, render, plan, bench, demo, serve, backup, restore.

Each command imports what it needs: `--help` and the server's first answer do not wait for the core.
"""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from juglant.core.errors import JuglantError
from juglant.store.errors import StoreError

if TYPE_CHECKING:
    from juglant.core.model.track import Track

app = typer.Typer(
    help="A workbench for the low end of a club track.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
DEFAULT_BPM = 120.0
SLOWEST_BPM, FASTEST_BPM = 20.0, 400.0
LARGEST_TRACK_BYTES = 2_000_000
TABLE = (
    ("note", "note", ""), ("cents", "off", "cents"), ("landing_hz", "lands at", "Hz"), ("heard_hz", "heard as", "Hz"),
    ("uncertainty_cents", "margin", "cents"), ("also_hz", "also heard", "Hz"),
    ("verdict", "verdict", ""), ("cycles", "cycles", ""),
    ("sweep_semitones", "sweep from", "semitones"), ("sweep_ms", "sweep", "ms"), ("onset_ms", "onset", "ms"),
    ("length_ms", "length at -24 dB", "ms"), ("length_silent_ms", "length at -60 dB", "ms"), ("t60_ms", "T60", "ms"),
    ("attack_ms", "attack", "ms"), ("click_db", "click", "dB"), ("peak_db", "peak", "dBFS"),
    ("true_peak_db", "true peak", "dBTP"), ("loudness_lufs", "loudness", "LUFS"),
)  # fmt: skip


def measured(argument: str, bpm: float) -> dict[str, Any]:
    """The figures of one file, or what is wrong with it, under the argument as given."""
    from juglant.core.measure.hit import CONCERT_A4_HZ, flat_figures, measure_hit
    from juglant.formats.wav import read_audio

    try:
        loaded = read_audio(Path(argument))
        found = measure_hit(loaded.audio, sample_rate=loaded.sample_rate, bpm=bpm, a4_hz=CONCERT_A4_HZ)
    except JuglantError as error:
        return {"file": argument, "error": str(error)}
    except (OSError, ValueError) as error:
        return {"file": argument, "error": f"cannot be read: {getattr(error, 'strerror', None) or error}"}
    head = {"file": argument, "sample_rate": loaded.sample_rate, "channels": loaded.audio.shape[0]}
    return head | flat_figures(found)


def table(figures: dict[str, Any]) -> str:
    """One file's figures to read."""
    if "error" in figures:
        return f"{figures['file']}\n  {figures['error']}\n"
    lines = [f"{figures['file']}  {figures['sample_rate']} Hz, {figures['channels']} channel(s)"]
    for key, title, unit in TABLE:
        value = figures[key]
        text = "-" if value is None else value if isinstance(value, str) else f"{value:.1f}"
        lines.append(f"  {title:<18}{text:>10} {unit}".rstrip())
    return "\n".join(lines) + "\n"


@app.command()
def measure(
    files: Annotated[list[str], typer.Argument(help="Audio files.", metavar="FILE...")],
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object a line, one line a file.")] = False,
    bpm: Annotated[float, typer.Option(help="Tempo at which a hit is repeated for its loudness.")] = DEFAULT_BPM,
) -> None:
    """Measure hits: where they land, their length, attack, levels and zones."""
    if not SLOWEST_BPM <= bpm <= FASTEST_BPM or not math.isfinite(bpm):
        raise typer.BadParameter(f"--bpm must be {SLOWEST_BPM:.0f} to {FASTEST_BPM:.0f}, got {bpm:g}")
    failed = False
    for argument in files:
        figures = measured(argument, bpm)
        failed |= "error" in figures
        sys.stdout.write(json.dumps(figures, allow_nan=False) + "\n" if as_json else table(figures))
        sys.stdout.flush()
    raise typer.Exit(1 if failed else 0)


@app.command()
def example(
    untouched: Annotated[bool, typer.Option("--untouched", help="Before retuning, carve and duck.")] = False,
) -> None:
    """Print the demo track as JSON."""
    from juglant.core.model.track import track_to_json
    from juglant.demo.kit import with_targets
    from juglant.demo.track import solved_track, untouched_track

    sys.stdout.write(track_to_json(with_targets(untouched_track() if untouched else solved_track())))


@app.command()
def render(
    track: Annotated[Path, typer.Argument(help="A track description.", metavar="TRACK.json")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the files; made where it is missing.")],
    rest: Annotated[bool, typer.Option("--rest", help="The rest of the track too, as stems and in the loops.")] = False,
) -> None:
    """Write the kick, loops, stems, MIDI, duck curve, description and report of a track."""
    from juglant.core.loop.used_takes import missing_takes, said_missing
    from juglant.services.deliver import write_files

    with complaints(track):
        description = read_track(track)
        paths = write_files(description, out, rest=rest)
    for one in missing_takes(description):
        sys.stderr.write(f"{track}: {said_missing(one)}; it is silent in these files\n")
    for path in paths:
        sys.stdout.write(f"{path}\n")


@app.command()
def plan(
    track: Annotated[Path, typer.Argument(help="A track description.", metavar="TRACK.json")],
    out: Annotated[Path, typer.Option("--out", help="The description with the plan applied.", metavar="OUT.json")],
    owner: Annotated[
        str | None, typer.Option(help="Who owns the sub: kick, bass, shared, kick-is-bass; the track's own if not given.")
    ] = None,
) -> None:
    """Compute carve and ducking for a track and write the track that has them."""
    from typing import get_args

    from juglant.core.model.sheet import Owner
    from juglant.core.model.track import track_to_json
    from juglant.core.plans.plan import planned

    if owner is not None and owner not in get_args(Owner):
        raise typer.BadParameter(f"--owner must be {', '.join(get_args(Owner))}, got {owner}")
    with complaints(track):
        found = planned(read_track(track), owner)  # type: ignore[arg-type]
        out.parent.mkdir(parents=True, exist_ok=True)
        beside = out.with_name(out.name + ".part")
        beside.write_text(track_to_json(found.track))
        beside.replace(out)
    sys.stdout.write("\n".join(found.said) + f"\n{out}\n")


def read_track(path: Path) -> Track:
    """A track description with the recorded sounds that lie beside it, as a bundle has them."""
    from juglant.core.model.references import consistent
    from juglant.core.model.track import track_from_json
    from juglant.services.takes import TakesFolder, provide_from

    provide_from(TakesFolder(path.parent))
    if path.is_file() and path.stat().st_size > LARGEST_TRACK_BYTES:
        raise JuglantError(f"the file is over {LARGEST_TRACK_BYTES // 1_000_000} MB; this is no track description")
    return consistent(track_from_json(path.read_bytes()))


@contextmanager
def complaints(track: Path) -> Iterator[None]:
    """What cannot be read or written is said in one line, and ends the command with 1."""
    try:
        yield
    except StoreError as error:
        # It names its file itself.
        sys.stderr.write(f"{error}\n")
        raise typer.Exit(1) from None
    except OSError as error:
        sys.stderr.write(f"{error.filename or track}: {error.strerror}\n")
        raise typer.Exit(1) from None
    except JuglantError as error:
        sys.stderr.write(f"{track}: {error}\n")
        raise typer.Exit(1) from None


@app.command()
def bench(as_json: Annotated[bool, typer.Option("--json", help="The figures as one JSON object.")] = False) -> None:
    """Time the core against its limits; ratios within one run."""
    sys.path.insert(0, str(Path(__file__).resolve().parents[2]))
    from bench.run import run_bench

    raise typer.Exit(run_bench(as_json=as_json))


@app.command()
def demo(
    port: Annotated[int, typer.Option(min=0, max=65535, help="0 takes a free one.")] = 8126,
    data: Annotated[Path | None, typer.Option(help="Folder for the demo's own database.")] = None,
    browser: Annotated[bool, typer.Option("--browser/--no-browser", help="Open the page.")] = True,
) -> None:
    """Open the demo track, in a database of its own."""
    from juglant.api.serve import serve_forever

    raise typer.Exit(serve_forever(port=port, folder=data, demo=True, open_browser=browser))


@app.command()
def backup(
    file: Annotated[Path, typer.Argument(help="A new file.", metavar="FILE")],
    data: Annotated[Path | None, typer.Option(help="Folder of the database; your own tracks' if not given.")] = None,
    of_demo: Annotated[bool, typer.Option("--demo", help="The demo's database.")] = False,
) -> None:
    """Write a whole copy of your tracks and sounds to a file, also while Juglant runs."""
    from juglant.services.data import write_backup

    with complaints(file):
        size = write_backup(database_in(data, of_demo), file)
    sys.stdout.write(f"{file} ({size / 1e6:.1f} MB); './juglant restore {file}' brings it back\n")


@app.command()
def restore(
    file: Annotated[Path, typer.Argument(help="A file made by backup.", metavar="FILE")],
    data: Annotated[Path | None, typer.Option(help="Folder of the database; your own tracks' if not given.")] = None,
    of_demo: Annotated[bool, typer.Option("--demo", help="The demo's database.")] = False,
) -> None:
    """Put a backup in the place of your tracks and sounds; what was there is backed up beside them first."""
    from juglant.services.data import restore_backup

    database = database_in(data, of_demo)
    with complaints(file):
        before = restore_backup(database, file)
    sys.stdout.write(f"{database} is {file} now" + (f"; what was there is in {before}\n" if before else "\n"))


def database_in(folder: Path | None, of_demo: bool) -> Path:
    """The database that `demo` and `serve` open with the same options."""
    from juglant.api.settings import DATABASE_NAME, default_database

    return folder.absolute() / DATABASE_NAME if folder else default_database(demo=of_demo)


@app.command()
def serve(
    port: Annotated[int, typer.Option(min=0, max=65535, help="0 takes a free one.")] = 8127,
    data: Annotated[Path | None, typer.Option(help="Folder for the database.")] = None,
    browser: Annotated[bool, typer.Option("--browser/--no-browser", help="Open the page.")] = True,
) -> None:
    """Open your own tracks."""
    from juglant.api.serve import serve_forever

    raise typer.Exit(serve_forever(port=port, folder=data, demo=False, open_browser=browser))


if __name__ == "__main__":
    app(prog_name="juglant")
