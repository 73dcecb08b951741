"""A report of a fault on disk: what was done last, and of which versions; nothing of the rig."""

from __future__ import annotations

import contextlib
import faulthandler
import os
import sys
import time
import traceback
from collections.abc import Iterable
from pathlib import Path
from typing import IO

from gremio.desktop.kept import state_folder

_PACKAGES = ("gremio", "PyQt6", "numpy", "scipy", "moderngl", "msgspec", "trimesh")
_MOST = 20


class Reports:
    """The reports of one run. A hard end is written down by the interpreter itself."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_folder() / "faults"
        self._hard: IO[str] | None = None
        self._hard_file = self.folder / f"{_now()}-{_token()}-ended.txt"

    def begin(self) -> None:
        """Watch for a hard end."""
        with contextlib.suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            self._hard = self._hard_file.open("w")
            faulthandler.enable(self._hard)

    def end(self) -> None:
        """It ended as it should."""
        if self._hard is not None:
            faulthandler.disable()
            self._hard.close()
            self._hard = None
            with contextlib.suppress(OSError):
                if not self._hard_file.stat().st_size:
                    self._hard_file.unlink()

    def write(self, error: BaseException, done: Iterable[str]) -> Path | None:
        """Write down a fault. done: what was done last, the latest first, in words."""
        lines = [f"A fault in Gremio, {time.strftime('%Y-%m-%d %H:%M:%S')}", "", *_versions(), ""]
        lines += ["Done last, the latest first:", *(f"  {words}" for words in done), ""]
        lines += traceback.format_exception(error)
        place = self.folder / f"{_now()}-{_token()}.txt"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            place.write_text("\n".join(line.rstrip("\n") for line in lines) + "\n")
        except OSError:
            return None
        for old in sorted(self.folder.glob("*.txt"))[:-_MOST]:
            with contextlib.suppress(OSError):
                old.unlink()
        return place

    def untold(self) -> Path | None:
        """The report of a hard end that nobody was told of yet; it is asked for once."""
        for file in sorted(self.folder.glob("*-ended.txt"), reverse=True):
            if file == self._hard_file:
                continue
            with contextlib.suppress(OSError):
                if file.stat().st_size:
                    told = file.with_name(file.name.replace("-ended", "-told"))
                    return file.rename(told)
                if time.time() - file.stat().st_mtime > _LONG_AGO:
                    file.unlink()
        return None


# An empty one may be of a Gremio that is running; after so long (s) it is thrown away.
_LONG_AGO = 7 * 24 * 3600.0


def _now() -> str:
    return time.strftime("%Y%m%d-%H%M%S")


def _token() -> str:
    """What tells two runs of one moment apart."""
    return os.urandom(3).hex()


def _versions() -> list[str]:
    # Loaded where something went wrong, not whenever the window comes.
    import platform
    from importlib.metadata import PackageNotFoundError, version

    found = [f"Python {sys.version.split()[0]}, {platform.platform()}"]
    for name in _PACKAGES:
        with contextlib.suppress(PackageNotFoundError):
            found.append(f"{name} {version(name)}")
    return found
