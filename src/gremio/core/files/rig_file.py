"""The .gremio file: one readable JSON text, one thing a line where that reads well."""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import msgspec
from msgspec.structs import replace

from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.files.steps import VERSION, raised
from gremio.core.files.unknown import without_unknown
from gremio.core.problem import Note
from gremio.core.records import Record
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.model import Rig, Source
from gremio.core.rig.things import THINGS

_LARGEST = 512_000_000
_LINE = 96


class RigFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a .gremio file holds. gremio: the version of the format."""

    gremio: int
    rig: Rig


class Opened(Record, frozen=True):
    """A rig as it came out of a file.

    version: of the file. data: its text. unknown: the places in it that this Gremio does not
    know; such a rig is opened to be read only, for saving it would lose them. notes: what else
    was mended on the way.
    """

    rig: Rig
    version: int
    data: bytes
    unknown: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()


def schema() -> dict[str, Any]:
    """The JSON Schema of a .gremio file."""
    return msgspec.json.schema(RigFile)


def encode(rig: Rig) -> bytes:
    """The text of a rig. The same rig gives the same text."""
    plain = msgspec.to_builtins(RigFile(VERSION, rig))
    try:
        return (_pretty(plain, 0) + "\n").encode()
    except ValueError:
        raise FileProblem(
            f"{rig.name} can't be saved: a number in it is none. Undo what was done last."
        ) from None


def encode_compact(rig: Rig) -> bytes:
    """The same in one line, without blanks: for copies that nobody reads."""
    return msgspec.json.encode(RigFile(VERSION, rig))


def fingerprint(path: str | os.PathLike[str]) -> str:
    """By which it is told whether a file is as it was; "" where there is none to be read."""
    import hashlib

    try:
        return hashlib.sha256(Path(path).read_bytes()).hexdigest()
    except OSError:
        return ""


def decode(data: bytes, name: str = "The file") -> Rig:
    """The rig in a text. `name` names the file in messages. Raises FileProblem, also for what
    this Gremio does not know, which would be lost."""
    opened = decoded(data, name)
    if opened.unknown:
        raise FileProblem(f"{unknown_words(opened, name)} Open it in the window to look at it.")
    return opened.rig


def decoded(data: bytes, name: str = "The file") -> Opened:
    """What a text holds, older versions raised to the present one. Raises FileProblem."""
    try:
        head = msgspec.json.decode(data)
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
    rig, unknown = _read_plain(head, data, version, name)
    _check_turns(rig, name)
    rig, notes = _told_apart(rig)
    return Opened(rig, version, data, tuple(unknown), tuple(notes))


def _read_plain(
    head: dict[str, Any], data: bytes, version: int, name: str
) -> tuple[Rig, list[str]]:
    """The rig of a file that is whole JSON, and the places in it that are not known."""
    if version == VERSION:
        with contextlib.suppress(msgspec.ValidationError):
            return msgspec.json.decode(data, type=RigFile).rig, []
    plain = {**head, "gremio": VERSION}
    try:
        if isinstance(plain.get("rig"), dict):
            plain["rig"] = raised(plain["rig"], version)
        known, unknown = without_unknown(plain, RigFile)
        return msgspec.convert(known, RigFile).rig, unknown
    except (
        msgspec.ValidationError,
        AttributeError,
        KeyError,
        IndexError,
        TypeError,
        ValueError,
    ) as error:
        raise FileProblem(
            f"{name} (version {version}) does not read as a rig: {error}. "
            "Mend that place in a text editor, or open an older copy."
        ) from None


def unknown_words(opened: Opened, name: str) -> str:
    """What a file says that this Gremio does not know, in words."""
    places = ", ".join(place.removeprefix("rig.") for place in opened.unknown[:3])
    more = f" and {len(opened.unknown) - 3} more" if len(opened.unknown) > 3 else ""
    return f"{name} says things that this Gremio does not know: {places}{more}."


def _told_apart(rig: Rig) -> tuple[Rig, list[Note]]:
    """The rig with two things of one name told apart, and a note on each."""
    taken: set[str] = set()
    notes: list[Note] = []
    all_names = names_in(rig)
    for word, field in ((one.word, one.field) for one in THINGS if one.named):
        things: Mapping[str, Any] = getattr(rig, field)
        renamed = {}
        for thing_id, thing in things.items():
            if thing.name in taken:
                name = free_name(all_names | taken, thing.name or word.capitalize())
                text = f"Two things were called {thing.name!r}; a {word} of them is {name!r} now."
                notes.append(Note("name-twice", name, text, "warning"))
                renamed[thing_id] = replace(thing, name=name)
                taken.add(name)
            taken.add(thing.name)
        if renamed:
            rig = replace(rig, **{field: {**things, **renamed}})
    return rig, notes


def _version(head: Any, name: str) -> int:
    version = head.get("gremio") if isinstance(head, dict) else None
    if not isinstance(version, int) or isinstance(version, bool):
        raise FileProblem(
            f"{name} has no Gremio version number, so it is not a rig. Choose a .gremio file."
        )
    if not 1 <= version <= VERSION:
        raise FileProblem(
            f"{name} is of version {version}; this Gremio reads versions 1 to {VERSION}. "
            "Open it with a newer Gremio."
        )
    return version


def _check_turns(rig: Rig, name: str) -> None:
    """A turn of four zeros is no turn. (Numbers such as 1e999 are refused by the reader.)"""
    for part in rig.parts.values():
        frames = [part.mount, part.own, *(shape.place for shape in part.shapes)]
        if not all(any(frame.turn) for frame in frames):
            raise FileProblem(
                f"{name}: the mount or a shape of {part.name} holds a number that is no place. "
                "Mend it in a text editor, or open an older copy."
            )


def read(path: str | os.PathLike[str]) -> Rig:
    """The rig in a file; the paths of its sources are made absolute. Raises FileProblem, also
    for a file that says what this Gremio does not know."""
    return open_known(path).rig


def open_known(path: str | os.PathLike[str]) -> Opened:
    """As `open_file`, of a file in which all is known. Raises FileProblem."""
    opened = open_file(path)
    if opened.unknown:
        name = Path(path).name
        raise FileProblem(f"{unknown_words(opened, name)} Open it in the window to look at it.")
    return opened


def open_file(path: str | os.PathLike[str]) -> Opened:
    """What a file holds; the paths of its sources are made absolute. Raises FileProblem."""
    file = Path(path)
    opened = decoded(atomic.read(file, _LARGEST), file.name)
    folder = file.resolve().parent
    rig = _with_source_paths(opened.rig, lambda source: str((folder / source).resolve()))
    return Opened(rig, opened.version, opened.data, opened.unknown, opened.notes)


def write(rig: Rig, path: str | os.PathLike[str], *, keep_previous: bool = False) -> None:
    """Save a rig; the paths of its sources are written relative to it. keep_previous: the file of
    before stays beside it as `name~`. Raises FileProblem."""
    file = Path(path)
    folder = file.resolve().parent
    relative = _with_source_paths(rig, lambda source: os.path.relpath(source, folder))
    data = encode(relative)
    try:
        msgspec.json.decode(data, type=RigFile)
    except msgspec.DecodeError as error:
        raise FileProblem(
            f"{rig.name} can't be saved: something in it is not what it should be ({error}). The "
            "older file, if there was one, is as it was."
        ) from None
    atomic.write(file, data, keep_previous=keep_previous)


def keep_older(opened: Opened, path: Path) -> Path | None:
    """Keep the text of a file of an older version beside it, as name.vN.gremio, before it is
    written over; the path of that, None where there is nothing to keep. Raises FileProblem."""
    if opened.version == VERSION:
        return None
    kept = path.with_name(f"{path.stem}.v{opened.version}.gremio")
    if not kept.exists():
        atomic.write(kept, opened.data)
    return kept


def _with_source_paths(rig: Rig, change: Callable[[str], str]) -> Rig:
    sources: dict[str, Source] = {
        key: replace(source, path=change(source.path)) for key, source in rig.sources.items()
    }
    kits = {i: replace(use, path=change(use.path)) for i, use in rig.kits.items()}
    return replace(rig, sources=sources, kits=kits) if sources or kits else rig


_flat = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode


def _pretty(value: Any, depth: int) -> str:
    """JSON with short things on one line and long ones spread, two blanks a level."""
    flat = _flat(value)
    spread = isinstance(value, dict | list | tuple) and bool(value)
    if not spread or (depth > 1 and len(flat) + 2 * depth <= _LINE):
        return flat
    pad, end = "  " * (depth + 1), "  " * depth
    if isinstance(value, dict):
        items = [f"{pad}{_flat(key)}: {_pretty(item, depth + 1)}" for key, item in value.items()]
        return "{\n" + ",\n".join(items) + f"\n{end}}}"
    items = [pad + _pretty(item, depth + 1) for item in value]
    return "[\n" + ",\n".join(items) + f"\n{end}]"
