"""The picture of the window as it was when a rig had just been opened, kept so that it is there at
once the next time, until the window itself is.

It is shown only where nothing of it is otherwise: the bytes of the rig, its models (by size and
time, for reading them would take longer than to show them), the version, how the window was left.
Little is imported here: it is looked for before all else is loaded.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
from pathlib import Path
from typing import Any

from gremio.desktop.kept import kept

# So many are kept.
_MOST = 8
_INDEX = "index.json"


def front_folder() -> Path:
    """Where pictures are kept (XDG base directories: what can be made again)."""
    base = os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Path(base) / "gremio" / "front"


def mark_of(file: Path | None) -> str:
    """By what a rig's file is known: its bytes; "" for one that can't be read. None: no rig."""
    try:
        return hashlib.sha256(b"" if file is None else file.read_bytes()).hexdigest()
    except OSError:
        return ""


def front_of(mark: str, version: str) -> Path | None:
    """The picture kept of a rig with this mark; None where there is none, or anything of it is
    otherwise now."""
    known = _index().get(mark)
    if not mark or not isinstance(known, dict) or known.get("version") != version:
        return None
    models = known.get("models")
    if not isinstance(models, list) or any(_state(one[0]) != one for one in models):
        return None
    if known.get("screen") != kept("window", {}):
        return None
    picture = front_folder() / f"{mark}.png"
    return picture if picture.exists() else None


def keep_front(
    mark: str, version: str, models: list[str], picture: bytes, screen: dict[str, Any]
) -> None:
    """Keep a picture (PNG) of a rig. models: paths of what it refers to. screen: how the window
    stands in it, as that is kept when it is left. What can't be kept is not: it is a picture
    only."""
    folder = front_folder()
    with contextlib.suppress(OSError):
        folder.mkdir(parents=True, exist_ok=True)
        known = {k: v for k, v in _index().items() if k != mark}
        for old in list(known)[: max(len(known) - _MOST + 1, 0)]:
            del known[old]
            (folder / f"{old}.png").unlink(missing_ok=True)
        (folder / f"{mark}.png").write_bytes(picture)
        known[mark] = {
            "version": version,
            "models": [_state(path) for path in models],
            "screen": screen,
        }
        beside = folder / f".{os.getpid()}"
        beside.write_text(json.dumps(known))
        beside.replace(folder / _INDEX)


def _index() -> dict[str, Any]:
    try:
        known = json.loads((front_folder() / _INDEX).read_text())
    except (OSError, ValueError):
        return {}
    return known if isinstance(known, dict) else {}


def _state(path: Any) -> list[Any]:
    """A file's path, size and time; nothing of one that is not there."""
    try:
        told = Path(str(path)).stat()
    except OSError:
        return [path, -1, -1]
    return [path, told.st_size, told.st_mtime_ns]
