"""A pose as a notebook shows it."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Iterable
from html import escape


def page(
    name: str, stands: Iterable[tuple[str, str]], notes: Iterable[str], picture: bytes | None
) -> str:
    """HTML of a rig's name, where its controls stand, and what is wrong; and its picture, for a
    notebook shows only one of what it is given."""
    rows = "".join(
        f"<tr><td>{escape(what)}</td><td>{escape(where)}</td></tr>" for what, where in stands
    )
    told = "".join(f"<li>{escape(note)}</li>" for note in notes)
    drawn = ""
    if picture is not None:
        drawn = f'<img src="data:image/png;base64,{b64encode(picture).decode()}" alt=""><br>'
    return f"{drawn}<b>{escape(name)}</b><table>{rows}</table><ul>{told}</ul>"
