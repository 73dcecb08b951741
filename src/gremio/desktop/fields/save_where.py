"""Asking where to save: with the ending put on before it is asked whether a file is replaced."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from gremio.desktop.fields.ask import choose

# What no file name holds on one system or another, and how long one may be (bytes).
_NOT_IN_NAMES = re.compile(r'[\\/:*?"<>|\x00-\x1f\x7f]+')
_LONGEST = 200


def ask_where(
    parent: QWidget, title: str, folder: str, name: str, words: str, *endings: str
) -> Path | None:
    """A path to save to, or None. name: proposed, without its ending. words: what files they are;
    endings: the first is put on where none of them is typed. A file that is there already is
    replaced only when that is said."""
    start = str(Path(folder) / f"{safe_name(name)}{endings[0]}")
    kinds = f"{words} ({' '.join(f'*{ending}' for ending in endings)})"
    unasked = QFileDialog.Option.DontConfirmOverwrite
    while True:
        typed, _ = QFileDialog.getSaveFileName(parent, title, start, kinds, options=unasked)
        if not typed:
            return None
        path = with_ending(Path(typed), *endings)
        if not path.exists() or _may_replace(parent, path):
            return path
        start = str(path)


def with_ending(path: Path, *endings: str) -> Path:
    """A path with one of the endings; what looks like another ending is part of the name:
    "lock v1.2" becomes "lock v1.2.gremio"."""
    if path.suffix.lower() in endings:
        return path
    return path.with_name(path.name.rstrip(". ") + endings[0])


def safe_name(name: str) -> str:
    """A name for a file, made of what a thing is called."""
    safe = _NOT_IN_NAMES.sub("-", name).strip(". ")
    return safe.encode()[:_LONGEST].decode(errors="ignore") or "untitled"


def _may_replace(parent: QWidget, path: Path) -> bool:
    replace, other = "Replace it", "Choose another name"
    text = f"{path.name} is in {path.parent} already."
    return choose(parent, "A file of this name", text, (replace, other), other) == replace
