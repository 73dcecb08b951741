"""Unsaved work kept aside, so that a crash loses nothing."""

from __future__ import annotations

import contextlib
import json
import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem, write
from gremio.core.rig.model import Rig


def state_folder() -> Path:
    """Where Gremio keeps what it must remember (XDG base directories)."""
    base = os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state"
    return Path(base) / "gremio"


@dataclass(frozen=True)
class Leftover:
    """Work that a Gremio now gone did not save. original: the file it was opened from."""

    file: Path
    name: str
    original: Path | None
    when: float

    @property
    def told(self) -> str:
        """What is left, and of when."""
        return f"{self.name}, {time.strftime('%d %B, %H:%M', time.localtime(self.when))}"


class Keeper:
    """Keeps the present rig of this process aside."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_folder() / "unsaved"
        self._stem = self.folder / f"{os.getpid()}-{time.time_ns():x}"
        # What is to be kept, while that is being done beside the window; and who does it.
        self._wanted: object = None
        self._writing = threading.Lock()

    @property
    def file(self) -> Path:
        """Where the rig is kept."""
        return self._stem.with_suffix(".gremio")

    def keep_beside(
        self, rig: Rig, original: Path | None, told: Callable[[str], object]
    ) -> threading.Thread:
        """Write the rig aside, beside the window. told: is told, from beside it too, when there
        is no room."""
        self._wanted = wanted = object()

        def write_it() -> None:
            try:
                with self._writing:
                    if self._wanted is wanted:
                        self._keep(rig, original)
            except FileProblem as problem:
                told(str(problem))

        beside = threading.Thread(target=write_it, daemon=True)
        beside.start()
        return beside

    def keep(self, rig: Rig, original: Path | None) -> None:
        """Write the rig aside now. Raises FileProblem when there is no room."""
        self._wanted = None
        with self._writing:
            self._keep(rig, original)

    def _keep(self, rig: Rig, original: Path | None) -> None:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FileProblem(f"Unsaved work can't be kept in {self.folder}: {error}.") from None
        rig_file.write(rig, self.file)
        about = {"pid": os.getpid(), "name": rig.name, "original": str(original or "")}
        write(self._stem.with_suffix(".json"), json.dumps(about).encode())

    def drop(self) -> None:
        """Nothing is unsaved any more."""
        self._wanted = None
        with self._writing:
            _remove(self.file)

    def leftovers(self) -> list[Leftover]:
        """What Gremios that are gone left behind, newest first."""
        found = []
        for about in self.folder.glob("*.json") if self.folder.is_dir() else []:
            file = about.with_suffix(".gremio")
            try:
                told = json.loads(about.read_text())
                if _alive(int(told["pid"])) or not file.exists():
                    continue
                original = Path(told["original"]) if told["original"] else None
                found.append(Leftover(file, str(told["name"]), original, file.stat().st_mtime))
            except (OSError, ValueError, KeyError, TypeError):
                continue
        return sorted(found, key=lambda left: -left.when)


def discard(leftover: Leftover) -> None:
    """Throw away work that is not wanted."""
    _remove(leftover.file)


def _remove(file: Path) -> None:
    for path in (file, file.with_suffix(".json")):
        with contextlib.suppress(OSError):
            path.unlink()


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
