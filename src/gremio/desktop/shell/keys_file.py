"""The keys that a person chose, kept from one time to the next: only those that differ."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping

from gremio.core.files.atomic import FileProblem, write
from gremio.desktop.actions.action import Action
from gremio.desktop.kept import state_folder

_NAME = "keys.json"


def chosen_keys(actions: Iterable[Action]) -> dict[str, str]:
    """The keys chosen before, by the ids of actions. Files of before, which kept every key by
    the words of its action, are read too. An action that is no more is left out."""
    try:
        kept = json.loads((state_folder() / _NAME).read_text())
    except (OSError, ValueError):
        return {}
    if not isinstance(kept, dict):
        return {}
    known = {action.id: action for action in actions}
    if isinstance(by_id := kept.get("by id"), dict):
        return {i: key for i, key in by_id.items() if i in known and isinstance(key, str)}
    return {
        action.id: key
        for action in known.values()
        if isinstance(key := kept.get(action.words), str) and key != action.key
    }


def keep_keys(keys: Mapping[str, str]) -> None:
    """Keep the keys that differ from those to begin with, by the ids of actions. Raises
    FileProblem."""
    folder = state_folder()
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileProblem(f"The keys can't be kept in {folder}: {error}.") from None
    write(folder / _NAME, json.dumps({"by id": dict(keys)}, indent=1).encode())
