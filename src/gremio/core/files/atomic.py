"""Writing a file so that the older one is never lost."""

from __future__ import annotations

import contextlib
import os
from pathlib import Path

from gremio.core.problem import GremioError


class FileProblem(GremioError):
    """A file could not be read or written; the text says why and what to do."""


def write(path: Path, data: bytes) -> None:
    """Write beside the file, then take its place in one step.

    When anything fails the older file is as it was. Raises FileProblem.
    """
    import tempfile

    path = Path(path)
    scratch: str | None = None
    try:
        handle, scratch = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(scratch, _mode_for(path))
        os.replace(scratch, path)
    except OSError as error:
        if scratch is not None:
            with contextlib.suppress(OSError):
                os.unlink(scratch)
        raise FileProblem(
            f"{path.name} could not be saved in {path.parent}: {_reason(error)}. "
            "The older file is as it was. Free some space or choose another place."
        ) from None


def _mode_for(path: Path) -> int:
    try:
        return path.stat().st_mode & 0o777
    except OSError:
        mask = os.umask(0)
        os.umask(mask)
        return 0o666 & ~mask


def read(path: Path, largest: int) -> bytes:
    """The bytes of a file. Raises FileProblem when it is not there, or over `largest` bytes."""
    path = Path(path)
    try:
        if path.is_dir():
            raise FileProblem(f"{path} is a folder. Choose a file in it.")
        size = path.stat().st_size
        if size > largest:
            raise FileProblem(
                f"{path.name} is {size / 1e6:,.0f} MB; Gremio reads up to {largest / 1e6:,.0f} MB. "
                "Check that it is the file you mean."
            )
        return path.read_bytes()
    except OSError as error:
        raise FileProblem(f"{path} could not be read: {_reason(error)}.") from None


def _reason(error: OSError) -> str:
    text = error.strerror or str(error)
    return text[:1].lower() + text[1:]
