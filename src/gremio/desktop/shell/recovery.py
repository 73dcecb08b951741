"""Unsaved work kept aside, so that a crash loses nothing.

Each window keeps its copies in a folder of its own, the last few of them. A copy is one file that
depends on no other: a line that says what it is, and the rig after it. Whether the window is still
there is told by the lock that it holds on a file in the folder, which the system lets go of
however it ends.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import IO, NamedTuple

import msgspec

from gremio.core.files import rig_file
from gremio.core.files.atomic import FileProblem, read, write
from gremio.core.problem import GremioError
from gremio.core.records import Record
from gremio.core.rig.model import Rig
from gremio.desktop.kept import state_folder

# So many copies of a window are kept.
COPIES = 3
_HEAD = "gremio kept"
_LARGEST = 500_000_000


class Work(NamedTuple):
    """What is kept aside. original: the file that it was opened from; on_disk: the fingerprint of
    that as it was read or saved last."""

    rig: Rig
    original: Path | None = None
    on_disk: str = ""


class Leftover(Record, frozen=True):
    """Work that a window now gone did not save. files: its copies, the latest first. original: the
    file it was opened from. when: the latest was kept (s since 1970)."""

    folder: Path
    files: tuple[Path, ...]
    name: str
    original: Path | None
    when: float

    @property
    def told(self) -> str:
        """What is left, and of when."""
        return f"{self.name}, {time.strftime('%d %B, %H:%M', time.localtime(self.when))}"


class Keeper:
    """Keeps the present rig of one window aside."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder or state_folder() / "unsaved"
        self._own = self.folder / os.urandom(16).hex()
        self._lock: IO[bytes] | None = None
        self._count = 0
        # What is to be kept, while that is being done beside the window; and who does it.
        self._wanted: object = None
        self._writing = threading.Lock()

    @property
    def files(self) -> tuple[Path, ...]:
        """The copies there are, the latest first."""
        return _copies(self._own)

    def keep_beside(self, work: Work, told: Callable[[str], object]) -> threading.Thread:
        """Write the rig aside, beside the window. told: is told, from beside it too, when there
        is no room."""
        self._wanted = wanted = object()

        def write_it() -> None:
            try:
                with self._writing:
                    if self._wanted is wanted:
                        self._keep(work)
            except FileProblem as problem:
                told(str(problem))

        beside = threading.Thread(target=write_it, daemon=True)
        beside.start()
        return beside

    def keep(self, work: Work) -> None:
        """Write the rig aside now. Raises FileProblem when there is no room."""
        self._wanted = None
        with self._writing:
            self._keep(work)

    def _keep(self, work: Work) -> None:
        try:
            self._own.mkdir(parents=True, exist_ok=True)
            if self._lock is None:
                self._lock = (self._own / "lock").open("wb")
                fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise FileProblem(f"Unsaved work can't be kept in {self.folder}: {error}.") from None
        about = {
            "what": _HEAD,
            "name": work.rig.name,
            "original": str(work.original or ""),
            "on disk": work.on_disk,
        }
        data = json.dumps(about).encode() + b"\n" + rig_file.encode_compact(work.rig)
        self._count += 1
        write(self._own / f"{self._count:06}.kept", data)
        for old in self.files[COPIES:]:
            with contextlib.suppress(OSError):
                old.unlink()

    def drop(self) -> None:
        """Nothing is unsaved any more."""
        self._wanted = None
        with self._writing:
            if self._lock is not None:
                self._lock.close()
                self._lock = None
            shutil.rmtree(self._own, ignore_errors=True)

    def leftovers(self) -> list[Leftover]:
        """What windows that are gone left behind, newest first. What can't be read is passed
        over; it stays where it is."""
        found = []
        with contextlib.suppress(OSError):
            for folder in self.folder.iterdir():
                if folder.is_dir() and folder != self._own and not _is_held(folder):
                    found += _leftover(folder)
        return sorted(found, key=lambda left: -left.when)


def read_kept(file: Path) -> Work:
    """What is in a copy. Raises GremioError for one that is broken."""
    head, _, body = read(file, _LARGEST).partition(b"\n")
    try:
        about = msgspec.json.decode(head, type=dict[str, str])
    except (msgspec.DecodeError, UnicodeDecodeError):
        about = {}
    if about.get("what") != _HEAD:
        raise FileProblem(f"{file} is no copy that Gremio kept, or it is broken.")
    original = about.get("original", "")
    rig = rig_file.decode(body, about.get("name") or "The copy")
    return Work(rig, Path(original) if original else None, about.get("on disk", ""))


def discard(leftover: Leftover) -> None:
    """Throw away work that is not wanted."""
    shutil.rmtree(leftover.folder, ignore_errors=True)


def _leftover(folder: Path) -> list[Leftover]:
    """What a window that is gone left in its folder: the copies that can be read."""
    good: list[tuple[Path, str, Path | None]] = []
    for file in _copies(folder):
        with contextlib.suppress(OSError, GremioError, RecursionError):
            kept = read_kept(file)
            good.append((file, kept.rig.name, kept.original))
    if not good:
        return []
    files = tuple(file for file, _, _ in good)
    with contextlib.suppress(OSError):
        return [Leftover(folder, files, good[0][1], good[0][2], files[0].stat().st_mtime)]
    return []


def _copies(folder: Path) -> tuple[Path, ...]:
    return tuple(sorted(folder.glob("*.kept"), reverse=True))


def _is_held(folder: Path) -> bool:
    """Whether a window holds the lock of a folder."""
    try:
        with (folder / "lock").open("rb") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False
