"""Writes packaging/gremio.1, the man page, from what the command line says of itself."""

from __future__ import annotations

from pathlib import Path

import typer
from typer.core import TyperArgument, TyperCommand, TyperGroup

from gremio import __version__
from gremio.command.main import app

PAGE = Path(__file__).parent.parent / "packaging" / "gremio.1"
_EXIT = (
    ("0", "It is done."),
    ("1", "The rig has errors, or what was compared differs; it is told on standard error."),
    ("2", "Something could not be read or run."),
)


def manual() -> str:
    """The page, as man reads it (man-pages(7))."""
    group = typer.main.get_command(app)
    assert isinstance(group, TyperGroup)
    context = typer.Context(group, info_name="gremio")
    lines = [
        f'.TH GREMIO 1 "" "gremio {__version__}" "Gremio"',
        ".SH NAME",
        r"gremio \- rig machines so that one control drives correct motion",
        ".SH SYNOPSIS",
        r".B gremio",
        ".I COMMAND",
        "[ARGUMENTS] [OPTIONS]",
        ".SH COMMANDS",
    ]
    for name in group.list_commands(context):
        command = group.get_command(context, name)
        assert isinstance(command, TyperCommand)
        lines += _command(name, command, context)
    lines.append(".SH EXIT STATUS")
    for code, words in _EXIT:
        lines += [".TP", rf".B {code}", words]
    return "\n".join(lines) + "\n"


def _command(name: str, command: TyperCommand, above: typer.Context) -> list[str]:
    inner = typer.Context(command, info_name=name, parent=above)
    usage = " ".join(command.collect_usage_pieces(inner))
    lines = [f".SS gremio {_plain(name)} {_plain(usage)}"]
    told = (command.help or "").strip().split("\n\n")
    for paragraph in told:
        lines += [_plain(" ".join(paragraph.split())), ".PP"]
    for parameter in command.get_params(inner):
        record = parameter.get_help_record(inner)
        if record is None and isinstance(parameter, TyperArgument):
            words = getattr(parameter, "help", "") or ""
            record = (parameter.make_metavar(inner), words)
        if record is not None and "--help" not in record[0]:
            lines += [".TP", rf".B {_plain(record[0])}", _plain(record[1])]
    return lines


def _plain(text: str) -> str:
    """Words in which man finds no commands of its own."""
    told = text.replace("\\", r"\e").replace("-", r"\-")
    return f"\\&{told}" if told.startswith((".", "'")) else told


if __name__ == "__main__":
    PAGE.write_text(manual())
