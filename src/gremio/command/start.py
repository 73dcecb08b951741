"""Where the command `gremio` begins: a window shows itself before all else is read."""

from __future__ import annotations

import contextlib
import sys
from pathlib import Path
from typing import NoReturn


def main() -> NoReturn:
    """Run the command line; every failure is one clear line on standard error."""
    asked = sys.argv[1:]
    if asked[:1] in (["open"], ["demo"]) and not any(one.startswith("-") for one in asked):
        # What can't be shown is told by the command itself.
        from gremio.core.problem import GremioError

        with contextlib.suppress(GremioError):
            _show(asked)
    from gremio.command.main import main as run

    run()


def _show(asked: list[str]) -> None:
    from gremio.desktop.shell.sign import show_sign

    if asked[0] == "demo":
        from gremio.demo import KEPT

        show_sign("opening Saltmarsh lock …", KEPT)
    elif len(asked) == 2 and (file := Path(asked[1])).is_file():
        show_sign(f"opening {file.name} …", file)
    elif len(asked) == 1:
        show_sign("opening …")
