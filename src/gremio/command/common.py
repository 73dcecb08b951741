"""What the commands share: their options, reading a rig, and telling what came of it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gremio.core.problem import GremioError, Note

if TYPE_CHECKING:
    from gremio.core.rig.model import Rig

SetOption = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="NAME=VALUE", help="Put a control or channel somewhere."),
]


KeptOption = Annotated[
    str | None, typer.Option("--kept", metavar="NAME", help="Begin from a pose kept in the rig.")
]


JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON.")]


def load(
    file: Path, kept: str | None = None, set_: list[str] | None = None
) -> tuple[Rig, list[Note]]:
    """The rig in a file, in one of its poses if one is named, with controls and channels put
    somewhere, and what was mended on the way."""
    from gremio.core.files.rig_file import open_file, unknown_words

    opened = open_file(file)
    if opened.unknown:
        raise GremioError(unknown_words(opened, file.name))
    rig = opened.rig
    if kept is not None:
        from gremio.core.script.by_name import to_pose

        rig = to_pose(rig, kept)
    if set_:
        from gremio.core.script.whole import put

        rig = put(rig, settings(set_))
    return rig, list(opened.notes)


def settings(pairs: list[str] | None) -> dict[str, str | float]:
    """What was put somewhere by --set, by name. Raises GremioError for what is no NAME=VALUE."""
    values: dict[str, str | float] = {}
    for pair in pairs or []:
        name, equals, value = pair.partition("=")
        if not equals or not name.strip():
            raise GremioError(f"--set {pair!r} is not NAME=VALUE. Write --set 'Gate=35 deg'.")
        values[name.strip()] = value.strip()
    return values


def print_table(table: str, output: Path | None, *, as_json: bool) -> None:
    """A CSV, or the same as JSON, printed or written into a file."""
    from gremio.command.report import table_json
    from gremio.core.files import atomic

    text = f"{table_json(table)}\n" if as_json else table
    if output is None:
        print(text, end="")
    else:
        atomic.write(output, text.encode())


def report(notes: list[Note], *, tell: bool = False) -> None:
    """Say the errors of a rig, and end with 1 when there are any. tell: say the rest too."""
    errors = [note for note in notes if note.severity == "error"]
    for note in notes if tell else []:
        if note.severity != "error":
            print(f"gremio: note: {note.text}", file=sys.stderr)
    for note in errors:
        print(f"gremio: {note.text}", file=sys.stderr)
    if errors:
        raise typer.Exit(1)
