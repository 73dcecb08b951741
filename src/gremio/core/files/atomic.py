"""Writing a file so that the older one is never lost."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import os
import shutil
import stat
from collections.abc import Iterable
from pathlib import Path

from gremio.core.problem import GremioError

_SCRATCH = ".gremio-scratch"


class FileProblem(GremioError):
    """A file could not be read or written; the text says why and what to do."""


def write(path: Path, data: bytes | Iterable[bytes], *, keep_previous: bool = False) -> None:
    """Write beside the file, then take its place in one step. data: whole, or in pieces.

    A link is followed to what it leads to. Mode, owner where that can be, and extended attributes
    stay as they were. keep_previous: the file of before is kept as `name~`. When anything fails the
    older file is as it was. Raises FileProblem, also for a file that is read-only.
    """
    path = Path(os.path.realpath(path))
    _check_writable(path)
    scratch: Path | None = None
    try:
        _clean_up(path)
        handle, scratch = _new_scratch(path)
        with os.fdopen(handle, "wb") as file:
            # Held while it is written, so that whoever cleans up knows that it is not forgotten.
            with contextlib.suppress(OSError):
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            for piece in (data,) if isinstance(data, bytes) else data:
                file.write(piece)
            file.flush()
            os.fsync(file.fileno())
            _like_before(path, scratch)
            if keep_previous and path.exists():
                _keep(path)
            os.replace(scratch, path)
    except OSError as error:
        if scratch is not None:
            with contextlib.suppress(OSError):
                scratch.unlink()
        raise FileProblem(
            f"{path.name} could not be saved in {path.parent}: {_reason(error)}. "
            f"{_way_out(error)} The older file, if there was one, is as it was."
        ) from None
    except GremioError:
        # Whoever makes the pieces stopped.
        if scratch is not None:
            scratch.unlink(missing_ok=True)
        raise


def previous_of(path: Path) -> Path:
    """Where the file of before the last save is kept."""
    return path.with_name(f"{path.name}~")


def _check_writable(path: Path) -> None:
    try:
        mode = path.stat().st_mode
    except OSError:
        return
    if stat.S_ISDIR(mode):
        raise FileProblem(f"{path} is a folder. Choose a name for a file in it.")
    if not stat.S_ISREG(mode):
        raise FileProblem(f"{path} is no plain file, so nothing is saved there. Choose another.")
    if not mode & (stat.S_IWUSR | stat.S_IWGRP | stat.S_IWOTH) or not os.access(path, os.W_OK):
        raise FileProblem(
            f"{path.name} is read-only. Make it writable, or save under another name."
        )


def _new_scratch(path: Path) -> tuple[int, Path]:
    import tempfile

    # A name as long as names can be leaves no room for more.
    short = path.name.encode()[:180].decode(errors="ignore")
    handle, name = tempfile.mkstemp(prefix=f".{short}.", suffix=_SCRATCH, dir=path.parent)
    return handle, Path(name)


def _clean_up(path: Path) -> None:
    """Throw away what saves of this file that were killed left beside it."""
    short = path.name.encode()[:180].decode(errors="ignore")
    for left in path.parent.iterdir():
        if not (left.name.startswith(f".{short}.") and left.name.endswith(_SCRATCH)):
            continue
        with contextlib.suppress(OSError), left.open("rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            left.unlink()


def _like_before(path: Path, scratch: Path) -> None:
    """Give a new file the mode, the owner and the extended attributes of the older one."""
    try:
        before = path.stat()
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        os.chmod(scratch, 0o666 & ~mask)
        return
    # Only root may give files away, and some file systems know no attributes.
    with contextlib.suppress(OSError):
        os.chown(scratch, before.st_uid, before.st_gid)
    with contextlib.suppress(OSError):
        for name in os.listxattr(path):
            os.setxattr(scratch, name, os.getxattr(path, name))
    os.chmod(scratch, before.st_mode & 0o7777)


def _keep(path: Path) -> None:
    """Let the file of before stand beside as `name~`, in one step."""
    _, aside = _new_scratch(path)
    aside.unlink()
    try:
        os.link(path, aside)
    except OSError:
        # Not every file system has links.
        shutil.copy2(path, aside)
    os.replace(aside, previous_of(path))


def read(path: Path, largest: int) -> bytes:
    """The bytes of a file. Raises FileProblem when it is not there, is no plain file, or is over
    `largest` bytes."""
    path = Path(path)
    try:
        found = path.stat()
        if stat.S_ISDIR(found.st_mode):
            raise FileProblem(f"{path} is a folder. Choose a file in it.")
        if not stat.S_ISREG(found.st_mode):
            raise FileProblem(f"{path} is no plain file, so it is not read. Choose another.")
        if found.st_size > largest:
            raise FileProblem(
                f"{path.name} is {found.st_size / 1e6:,.0f} MB; Gremio reads up to "
                f"{largest / 1e6:,.0f} MB. Check that it is the file you mean."
            )
        return path.read_bytes()
    except OSError as error:
        raise FileProblem(f"{path} could not be read: {_reason(error)}.") from None


def _reason(error: OSError) -> str:
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]


def _way_out(error: OSError) -> str:
    """What to do about it."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return "Free some space, or choose another place."
    if error.errno in (errno.ENOENT, errno.ENOTDIR):
        return "The folder is not there any more; choose another place."
    if error.errno == errno.ENAMETOOLONG:
        return "Choose a shorter name."
    return "Choose a place where you may write."
