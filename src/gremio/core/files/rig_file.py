"""The .gremio file: one readable JSON text, one thing a line where that reads well."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.rig.model import Rig, Source

VERSION = 1
_LARGEST = 512_000_000
_LINE = 96


class RigFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a .gremio file holds. gremio: the version of the format."""

    gremio: int
    rig: Rig


def schema() -> dict[str, Any]:
    """The JSON Schema of a .gremio file."""
    return msgspec.json.schema(RigFile)


def encode(rig: Rig) -> bytes:
    """The text of a rig. The same rig gives the same text."""
    plain = msgspec.to_builtins(RigFile(VERSION, rig))
    return (_pretty(plain, 0) + "\n").encode()


def decode(data: bytes, name: str = "The file") -> Rig:
    """The rig in a text. `name` names the file in messages. Raises FileProblem."""
    try:
        head = msgspec.json.decode(data, type=dict[str, msgspec.Raw])
    except RecursionError:
        raise FileProblem(
            f"{name} is nested too deeply to be a rig. Open another copy of it."
        ) from None
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise FileProblem(
            f"{name} is not a whole Gremio rig ({error}). "
            "It may have been cut short: open an older copy of it."
        ) from None
    version = _version(head, name)
    try:
        rig = msgspec.json.decode(data, type=RigFile).rig
    except RecursionError:
        raise FileProblem(
            f"{name} is nested too deeply to be a rig. Open another copy of it."
        ) from None
    except msgspec.DecodeError as error:
        raise FileProblem(
            f"{name} (version {version}) does not read as a rig: {error}. "
            "Mend that place in a text editor, or open an older copy."
        ) from None
    _check_turns(rig, name)
    return rig


def _version(head: dict[str, msgspec.Raw], name: str) -> int:
    try:
        version = msgspec.json.decode(bytes(head["gremio"]), type=int)
    except (KeyError, msgspec.DecodeError):
        raise FileProblem(
            f"{name} has no Gremio version number, so it is not a rig. Choose a .gremio file."
        ) from None
    if not 1 <= version <= VERSION:
        raise FileProblem(
            f"{name} is of version {version}; this Gremio reads versions 1 to {VERSION}. "
            "Open it with a newer Gremio."
        )
    return version


def _check_turns(rig: Rig, name: str) -> None:
    """A turn of four zeros is no turn. (Numbers such as 1e999 are refused by the reader.)"""
    for part in rig.parts.values():
        frames = [part.mount, *(shape.place for shape in part.shapes)]
        if not all(any(frame.turn) for frame in frames):
            raise FileProblem(
                f"{name}: the mount or a shape of {part.name} holds a number that is no place. "
                "Mend it in a text editor, or open an older copy."
            )


def read(path: str | os.PathLike[str]) -> Rig:
    """The rig in a file; the paths of its sources are made absolute. Raises FileProblem."""
    file = Path(path)
    rig = decode(atomic.read(file, _LARGEST), file.name)
    folder = file.resolve().parent
    return _with_source_paths(rig, lambda source: str((folder / source).resolve()))


def write(rig: Rig, path: str | os.PathLike[str]) -> None:
    """Save a rig; the paths of its sources are written relative to it. Raises FileProblem."""
    file = Path(path)
    folder = file.resolve().parent
    relative = _with_source_paths(rig, lambda source: os.path.relpath(source, folder))
    atomic.write(file, encode(relative))


def _with_source_paths(rig: Rig, change: Callable[[str], str]) -> Rig:
    sources: dict[str, Source] = {
        key: replace(source, path=change(source.path)) for key, source in rig.sources.items()
    }
    return replace(rig, sources=sources) if sources else rig


def _pretty(value: Any, depth: int) -> str:
    """JSON with short things on one line and long ones spread, two blanks a level."""
    flat = json.dumps(value, ensure_ascii=False, allow_nan=False)
    spread = isinstance(value, dict | list | tuple) and bool(value)
    if not spread or (depth > 1 and len(flat) + 2 * depth <= _LINE):
        return flat
    pad, end = "  " * (depth + 1), "  " * depth
    if isinstance(value, dict):
        items = [
            f"{pad}{json.dumps(key, ensure_ascii=False)}: {_pretty(item, depth + 1)}"
            for key, item in value.items()
        ]
        return "{\n" + ",\n".join(items) + f"\n{end}}}"
    items = [pad + _pretty(item, depth + 1) for item in value]
    return "[\n" + ",\n".join(items) + f"\n{end}]"
