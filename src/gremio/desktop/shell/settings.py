"""What a person decided once for all, kept from one time to the next."""

from __future__ import annotations

import json

from gremio.core.files.atomic import FileProblem, write
from gremio.desktop.shell.recovery import state_folder

_NAME = "settings.json"
_PREVIOUS = "keep the previous save"


def keeps_previous() -> bool:
    """Whether the file of before stays beside one that is saved."""
    try:
        known = json.loads((state_folder() / _NAME).read_text())
        return bool(known.get(_PREVIOUS, True))
    except (OSError, ValueError, AttributeError):
        return True


def keep_previous(keep: bool) -> None:
    """Decide that. Raises FileProblem."""
    folder = state_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(f"That can't be kept in {folder}: {error}.") from None
    write(folder / _NAME, json.dumps({_PREVIOUS: keep}, indent=1).encode())
