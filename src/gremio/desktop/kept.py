"""What is kept from one time to the next: what a person decided, and how the screen was left."""

from __future__ import annotations

import contextlib
import json
import os
from pathlib import Path
from typing import Any

from gremio.core.files.atomic import FileProblem, write

_FILE = "settings.json"
# What was read of each file, so that a Card does not read it for every section.
_read: dict[Path, dict[str, Any]] = {}


def state_folder() -> Path:
    """Where Gremio keeps what it must remember (XDG base directories)."""
    base = os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state"
    return Path(base) / "gremio"


def _from_disk(file: Path) -> dict[str, Any]:
    try:
        known = json.loads(file.read_text())
    except (OSError, ValueError):
        return {}
    return known if isinstance(known, dict) else {}


def kept(name: str, usual: Any) -> Any:
    """What is kept under a name; the usual, where nothing of that kind is."""
    file = state_folder() / _FILE
    if file not in _read:
        _read[file] = _from_disk(file)
    found = _read[file].get(name, usual)
    return found if isinstance(found, type(usual)) else usual


def keep(name: str, value: Any) -> None:
    """Keep a value under a name; what other windows kept meanwhile stays. Raises FileProblem."""
    file = state_folder() / _FILE
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(f"That can't be kept in {file.parent}: {error}.") from None
    known = {**_from_disk(file), name: value}
    write(file, json.dumps(known, indent=1).encode())
    _read[file] = known


def keep_if_possible(name: str, value: Any) -> None:
    """The same for what does not matter enough to be told when it can't be kept."""
    with contextlib.suppress(FileProblem):
        keep(name, value)


# ── kits ───────────────────────────────────────────────────────────

_FOLDERS = "folders of kits"


def own_kits() -> Path:
    """Where kits are kept unless another folder is chosen (XDG base directories)."""
    base = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    return Path(base) / "gremio" / "kits"


def kit_folders() -> list[Path]:
    """The folders in which kits are looked for, besides those that come with Gremio."""
    more = kept(_FOLDERS, list[str]())
    return [own_kits(), *(Path(folder) for folder in more if isinstance(folder, str))]


def add_kit_folder(folder: Path) -> None:
    """Look for kits in one more folder, from now on. Raises FileProblem."""
    known = [str(one) for one in kit_folders()[1:]]
    if str(folder) not in known and folder != own_kits():
        keep(_FOLDERS, [*known, str(folder)])


def leave_kit_folder(folder: Path) -> None:
    """Look for kits in a folder no more. Raises FileProblem."""
    keep(_FOLDERS, [str(one) for one in kit_folders()[1:] if one != folder])
