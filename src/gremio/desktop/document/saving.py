"""Writing the open rig where it was opened from, or elsewhere, without going over other work."""

from __future__ import annotations

from pathlib import Path

from gremio.core.files import rig_file
from gremio.core.files.rig_file import Opened
from gremio.core.problem import GremioError
from gremio.core.rig.model import Rig


class ChangedOnDisk(GremioError):
    """The file is not as it was when it was opened, or saved last."""


def check_unchanged(path: Path, known: str) -> None:
    """Refuse to go over a file that is not as it was read or saved last. known: its fingerprint
    then, "" for none. Raises ChangedOnDisk."""
    now = rig_file.fingerprint(path) if known else ""
    if now and now != known:
        raise ChangedOnDisk(f"{path.name} was changed by somebody else since it was opened here.")


def written(rig: Rig, path: Path, opened: Opened | None, *, keep_previous: bool) -> Path | None:
    """Write a rig; the path of what was kept of a file of an older version that stood there.
    opened: that file as it was read, where it is the same. Raises FileProblem."""
    kept = None if opened is None else rig_file.keep_older(opened, path)
    rig_file.write(rig, path, keep_previous=keep_previous)
    return kept
