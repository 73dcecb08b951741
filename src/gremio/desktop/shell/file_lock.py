"""Who has a file open: told by a lock beside it, so that nobody writes over another's work."""

from __future__ import annotations

import contextlib
import fcntl
import getpass
import json
import os
import time
from pathlib import Path
from typing import NamedTuple


class Holder(NamedTuple):
    """Who else has a file open. sure: the system says that they have it still; else they may be
    gone, which can't be proved from here. since: in words."""

    user: str
    host: str
    since: str
    sure: bool

    @property
    def told(self) -> str:
        """Who it is, in words."""
        where = "" if self.host in ("", os.uname().nodename) else f" on {self.host}"
        here = self.user or "Somebody"
        has = "has it open" if self.sure else "had it open, and may have still,"
        return f"{here}{where} {has} since {self.since}."


class FileLock:
    """The lock of the one file that a window has open."""

    def __init__(self) -> None:
        self._handle: int | None = None
        self._place: Path | None = None

    def take(self, path: Path) -> Holder | None:
        """Hold the lock of a file, and let go of the one before; who has it, where somebody else
        does. Where none can be held, as in a folder that is read-only, nothing is."""
        place = path.with_name(f".{path.name}.lock")
        if self._handle is not None and place == self._place:
            return None
        self.let_go()
        try:
            handle = os.open(place, os.O_RDWR | os.O_CREAT, 0o666)
        except OSError:
            return None
        known = _read(handle)
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            os.close(handle)
            return _holder(known, sure=True)
        except OSError:
            # A file system that knows no locks: what is written in it is all there is.
            os.close(handle)
            return _holder(known, sure=False) if known else None
        if known.get("host", os.uname().nodename) != os.uname().nodename:
            os.close(handle)
            return _holder(known, sure=False)
        self._handle, self._place = handle, place
        self._write()
        return None

    def take_over(self, path: Path) -> None:
        """Hold the lock of a file whose holder is said to be gone."""
        place = path.with_name(f".{path.name}.lock")
        with contextlib.suppress(OSError):
            place.unlink()
        self.take(path)

    def let_go(self) -> None:
        """Hold nothing."""
        if self._handle is not None and self._place is not None:
            with contextlib.suppress(OSError):
                self._place.unlink()
            os.close(self._handle)
        self._handle = self._place = None

    def _write(self) -> None:
        assert self._handle is not None
        since = time.strftime("%d %B, %H:%M")
        about = {"user": _user(), "host": os.uname().nodename, "since": since}
        with contextlib.suppress(OSError):
            os.ftruncate(self._handle, 0)
            os.pwrite(self._handle, json.dumps(about).encode(), 0)


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return ""


def _read(handle: int) -> dict[str, str]:
    try:
        told = json.loads(os.pread(handle, 4096, 0))
        return {str(key): str(value) for key, value in told.items()}
    except (OSError, ValueError, AttributeError):
        return {}


def _holder(known: dict[str, str], *, sure: bool) -> Holder:
    user, host = known.get("user", ""), known.get("host", "")
    return Holder(user, host, known.get("since", "some time ago"), sure)
