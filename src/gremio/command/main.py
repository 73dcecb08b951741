"""gremio: open, pose, sweep, convert and render rigs from the command line.

Exit: 0 done, 1 the rig has errors, 2 could not read or run.
"""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from gremio.command.common import (
    JsonOption,
    KeptOption,
    SetOption,
    load,
    print_table,
    report,
    settings,
)
from gremio.core.problem import GremioError

app = typer.Typer(
    name="gremio",
    help="Rig machines so that one control drives correct motion.",
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    context_settings={"help_option_names": ["-h", "--help"]},
)


def _say_version(wanted: bool) -> None:
    if wanted:
        from gremio import __version__

        print(f"gremio {__version__}")
        raise typer.Exit


@app.callback()
def _about(
    _version: Annotated[
        bool,
        typer.Option(
            "--version", help="Say which Gremio this is.", is_eager=True, callback=_say_version
        ),
    ] = False,
) -> None:
    """Rig machines so that one control drives correct motion."""


def main() -> NoReturn:
    """Run the command line; every failure is one clear line on standard error."""
    try:
        code = app(sys.argv[1:] or ["--help"], standalone_mode=False)
    except GremioError as problem:
        _fail(str(problem))
    except KeyboardInterrupt:
        sys.exit(2)
    except Exception as error:
        if not hasattr(error, "format_message"):
            raise
        _fail(error.format_message())
    sys.exit(code or 0)


def _fail(text: str) -> NoReturn:
    print(f"gremio: {' '.join(text.split())}", file=sys.stderr)
    sys.exit(2)


@app.command("open")
def open_window(
    file: Annotated[Path | None, typer.Argument(help="A .gremio rig.")] = None,
) -> None:
    """Open the window, with a rig or an empty one.

    Example: gremio open saltmarsh.gremio
    """
    from gremio.desktop.shell.sign import show_sign

    sign = show_sign(f"opening {file.name} …" if file is not None else "opening …", file)
    from gremio.desktop.shell.app import run

    raise typer.Exit(run(file=file, sign=sign))


@app.command()
def demo() -> None:
    """Open the window with Saltmarsh lock.

    Example: gremio demo
    """
    from gremio.demo import KEPT
    from gremio.desktop.shell.sign import show_sign

    sign = show_sign("opening Saltmarsh lock …", KEPT)
    from gremio.desktop.shell.app import run

    raise typer.Exit(run(demo=True, sign=sign))


@app.command()
def pose(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    set_: SetOption = None,
    kept: KeptOption = None,
    json: Annotated[bool, typer.Option("--json", help="Print JSON in metres and radians.")] = False,
) -> None:
    """Say where every part stands.

    Example: gremio pose saltmarsh.gremio --set "Upper gates=46 deg" --json
    """
    from gremio.command.report import pose_json, pose_text
    from gremio.core.files.sources import model_shelf
    from gremio.core.script.posing import solve

    rig, mended = load(file, kept)
    answer = solve(rig, settings(set_))
    notes = [*mended, *answer.notes, *model_shelf().notes(rig)]
    print(pose_json(answer, notes) if json else pose_text(answer, notes))
    report(notes)


@app.command()
def sweep(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    control: Annotated[str, typer.Argument(help="The name of a control.")],
    steps: Annotated[int, typer.Option(help="How many poses, ends included.")] = 101,
    output: Annotated[Path | None, typer.Option("-o", help="A .csv file.")] = None,
    set_: SetOption = None,
    kept: KeptOption = None,
    json: JsonOption = False,
) -> None:
    """Run a control through its range: a row a step, with every channel that moves.

    Example: gremio sweep saltmarsh.gremio "Upper gates" --steps 75 -o gates.csv
    """
    from gremio.core.files.csv_out import sweep_csv
    from gremio.core.inspect.reach import stands_still
    from gremio.core.rig.find import control_id
    from gremio.core.script.posing import sweep as run_sweep

    rig = load(file, kept, set_)[0]
    poses = run_sweep(rig, control, steps)
    table = sweep_csv(poses, control_id(rig, control))
    print_table(table, output, as_json=json)
    held = stands_still(poses, control_id(rig, control))
    report([*poses.program.faults, *held], tell=True)


@app.command()
def bake(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    output: Annotated[Path, typer.Option("-o", help="A .glb, .csv or .json file.")],
    routine: Annotated[
        str, typer.Option(help="The name of the routine; the only one unless it is said.")
    ] = "",
    fps: Annotated[
        str | None, typer.Option(help="Frames a second, such as 29.97; else the routine's own.")
    ] = None,
) -> None:
    """Solve a routine for all its frames: an animation, a table, or all there is as JSON.

    Example: gremio bake saltmarsh.gremio --routine "Boat through" -o boat.glb
    """
    from gremio.core.script.baking import bake_file

    report(bake_file(load(file)[0], output, routine, fps), tell=True)


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(help="A rig or a model.")],
    target: Annotated[Path, typer.Argument(help="A .gremio, .glb, .urdf or .csv file.")],
    control: Annotated[
        list[str] | None,
        typer.Option(
            help="Bake the travel of this control: an animation, or a table. Named again, others "
            "run along with it."
        ),
    ] = None,
    start: Annotated[
        str | None, typer.Option("--from", help="Where the control begins; else its low end.")
    ] = None,
    end: Annotated[
        str | None, typer.Option("--to", help="Where the control comes to; else its high end.")
    ] = None,
    pose: Annotated[
        list[str] | None,
        typer.Option(help="Go through kept poses instead, in the order they are named."),
    ] = None,
    seconds: Annotated[
        float | None, typer.Option(help="How long the baked travel takes; 4 unless it is said.")
    ] = None,
    fps: Annotated[
        float | None,
        typer.Option(help="Keys on whole frames only, so many a second; else as many as needed."),
    ] = None,
    unit: Annotated[
        str | None, typer.Option(help="What a model is measured in: mm, in, m.")
    ] = None,
    up: Annotated[str | None, typer.Option(help="Which way is up in a model: y or z.")] = None,
    set_: SetOption = None,
    kept: KeptOption = None,
) -> None:
    """Turn one file into another, by their endings.

    Example: gremio convert saltmarsh.gremio gates.glb --control "Upper gates"
    """
    from gremio.command.convert import convert_file, metres_of, upright
    from gremio.core.files.formats import Reading, Travel

    named = control or []
    travel = Travel(
        named[0] if named else None, seconds, fps, start, end, tuple(named[1:]), tuple(pose or ())
    )
    reading = Reading(metres_of(unit), upright(up))
    report(convert_file(source, target, reading, travel, settings(set_), kept), tell=True)


@app.command()
def render(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    output: Annotated[Path, typer.Option("-o", help="A .png file.")],
    set_: SetOption = None,
    kept: KeptOption = None,
    at: Annotated[
        str | None, typer.Option(help="A time of a routine: 2.5s, or a time code.")
    ] = None,
    routine: Annotated[str, typer.Option(help="Which routine, where there are several.")] = "",
    size: Annotated[str, typer.Option(help="Width x height in pixels.")] = "1280x800",
    night: Annotated[bool, typer.Option("--night", help="Light ink on dark paper.")] = False,
    textured: Annotated[
        bool, typer.Option("--textured", help="Models in the base colours they came with.")
    ] = False,
) -> None:
    """Make a picture of a rig, without a display.

    Example: gremio render saltmarsh.gremio -o lock.png --set "Upper gates=46 deg"
    """
    from gremio.command.report import picture_size
    from gremio.core.problem import GremioError
    from gremio.core.script.posing import solve
    from gremio.core.script.timing import at_time
    from gremio.desktop.bench.picture import save_picture

    rig = load(file, kept)[0]
    if at is not None and set_:
        raise GremioError("A routine says where all is at a time. Give --at or --set, not both.")
    answer = solve(rig, settings(set_)) if at is None else at_time(rig, at, routine)
    save_picture(answer, output, picture_size(size), night=night, textured=textured)
    report(answer.notes)


@app.command()
def inspect(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    set_: SetOption = None,
    kept: KeptOption = None,
    json: JsonOption = False,
) -> None:
    """Say what is wrong with a machine: teeth, wheels, trains, stops, models.

    Example: gremio inspect saltmarsh.gremio --json
    """
    from gremio.command.report import findings_json
    from gremio.core.inspect.finding import Finding
    from gremio.core.inspect.findings import sorted_findings
    from gremio.core.script.posing import inspect as look

    rig, mended = load(file, kept, set_)
    found = sorted_findings([*map(Finding, mended), *look(rig)])
    if json:
        print(findings_json(found))
    else:
        for finding in found:
            mends = "; ".join(mend.words for mend in finding.mends)
            print(
                f"{finding.note.severity}: {finding.note.text}" + (f" [{mends}]" if mends else "")
            )
        if not found:
            print("Nothing is wrong.")
    report([f.note for f in found if f.note.severity == "error"])


@app.command()
def compare(
    one: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    two: Annotated[Path, typer.Argument(help="Another, or a later one.")],
    json: JsonOption = False,
) -> None:
    """Say what is otherwise in the second of two rigs: by names, and by what is meant. Ends with 1
    where something is.

    Example: gremio compare saltmarsh.gremio saltmarsh-2.gremio
    """
    from gremio.command.report import differences_json
    from gremio.core.inspect.comparing import compare as look

    found = look(load(one)[0], load(two)[0])
    if json:
        print(differences_json(found))
    else:
        for difference in found:
            print(difference.text)
        if not found:
            print("Both say the same.")
    if found:
        raise typer.Exit(1)


@app.command()
def revise(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    model: Annotated[Path, typer.Argument(help="A later model, of one that was brought in.")],
    take: Annotated[
        str | None,
        typer.Option(help="What is taken of it: all, or some of new,gone,moved,reshaped,renamed."),
    ] = None,
    of: Annotated[
        str, typer.Option(help="Which of the rig's models it is, by its file's name.")
    ] = "",
    mounts: Annotated[
        str, typer.Option(help="What joints do where a part is elsewhere: follow or stay.")
    ] = "follow",
    output: Annotated[
        Path | None, typer.Option("-o", help="A .gremio file; the rig's own unless it is said.")
    ] = None,
    json: JsonOption = False,
) -> None:
    """Say what a model has otherwise than when it was brought in, and take it up. Without --take
    nothing is written; it ends with 1 where something is otherwise.

    Example: gremio revise crane.gremio crane-2.glb --take new,moved
    """
    from gremio.command.report import revisions_json
    from gremio.command.revising import revise_file

    taken = None if take is None else [word.strip() for word in take.split(",") if word.strip()]
    rig = load(file)[0]
    found, told = revise_file(rig, model, taken, of, mounts, output or file)
    if json:
        print(revisions_json(found, told))
    else:
        for one in found:
            print(one.text)
        if not found:
            print("Nothing is otherwise.")
    for words in told:
        print(f"gremio: note: {words}", file=sys.stderr)
    if found and taken is None:
        raise typer.Exit(1)


@app.command()
def kits(
    folders: Annotated[
        list[Path] | None,
        typer.Argument(help="Folders of kits; those of Gremio unless it is said."),
    ] = None,
    find: Annotated[str, typer.Option(help="Words to find them by.")] = "",
    json: JsonOption = False,
) -> None:
    """List kits: what each is, what it asks, and where it is.

    Example: gremio kits --find "door"
    """
    from gremio.command.report import kits_json, kits_text
    from gremio.core.files.kits import kits_in
    from gremio.demo import KITS

    found = [kit for kit in kits_in(folders or [KITS]) if kit.found_by(find)]
    print(kits_json(found) if json else kits_text(found))


@app.command()
def ledger(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    output: Annotated[Path | None, typer.Option("-o", help="A .csv file.")] = None,
    set_: SetOption = None,
    kept: KeptOption = None,
    json: JsonOption = False,
) -> None:
    """List every led channel with what leads it, and how, as CSV.

    Example: gremio ledger saltmarsh.gremio -o ledger.csv
    """
    from gremio.core.inspect.ledger import ledger_csv, ledger_rows
    from gremio.core.script.posing import solve

    answer = solve(load(file, kept)[0], settings(set_))
    table = ledger_csv(answer, ledger_rows(answer.program))
    print_table(table, output, as_json=json)
    report(list(answer.program.faults))


@app.command()
def cam(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    lead: Annotated[str, typer.Argument(help="The name of the control or channel that leads.")],
    output: Annotated[Path | None, typer.Option("-o", help="A .csv file.")] = None,
    json: JsonOption = False,
) -> None:
    """Write the stations of a cam as a table, the lead first.

    Example: gremio cam saltmarsh.gremio "Upper gates" -o gates.csv
    """
    from gremio.command.cams import cam_led_by
    from gremio.core.files.cam_csv import cam_csv

    rig = load(file)[0]
    print_table(cam_csv(rig, cam_led_by(rig, lead)), output, as_json=json)


@app.command()
def teach(
    file: Annotated[Path, typer.Argument(help="A .gremio rig.")],
    table: Annotated[Path, typer.Argument(help="A .csv of stations: the lead, then followers.")],
    output: Annotated[Path, typer.Option("-o", help="A .gremio file.")],
    unit: Annotated[
        list[str] | None,
        typer.Option(help="The unit of each column in order, where no heading names it."),
    ] = None,
) -> None:
    """Make a cam of a table; columns are called after channels, with units in brackets.

    Example: gremio teach saltmarsh.gremio gates.csv -o taught.gremio
    """
    from gremio.command.cams import taught
    from gremio.core.files.cam_csv import read_table_file
    from gremio.core.files.rig_file import write

    write(taught(load(file)[0], read_table_file(table), unit or []), output)


@app.command()
def schema() -> None:
    """Print the JSON Schema of a .gremio file.

    Example: gremio schema > gremio.schema.json
    """
    import json

    from gremio.core.files.rig_file import schema as make_schema

    print(json.dumps(make_schema(), indent=2))
