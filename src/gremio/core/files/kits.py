"""Kits in files: a folder of them looked through, one put into a rig, and taken up anew."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import NamedTuple

import msgspec
from msgspec.structs import replace

from gremio.core.edit.change import new_id, with_entry, without
from gremio.core.files import rig_file
from gremio.core.frames import IDENTITY, Frame
from gremio.core.inspect.comparing import Difference, compare
from gremio.core.inspect.merging import leaf, same_things, taken_over
from gremio.core.make.kit_in import Answers, kit_in, with_sizes
from gremio.core.problem import GremioError, Note, NotFound
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.ids import thing as as_thing
from gremio.core.rig.model import KitUse, Rig
from gremio.core.rig.numbers import exists
from gremio.core.rig.things import THINGS
from gremio.core.shape.geometry import GeometryOf
from gremio.core.surfaces.shelf import Shelf


class KitFile(NamedTuple):
    """A kit in a folder. wrong: why it can't be read; the rest is empty then."""

    path: Path
    name: str
    about: str = ""
    words: tuple[str, ...] = ()
    wrong: str = ""

    def found_by(self, text: str) -> bool:
        """Whether every word of a text is in what it is called and what is said of it."""
        told = " ".join((self.name, self.about, *self.words)).lower()
        return all(word in told for word in text.lower().split())


class _Head(msgspec.Struct):
    """What of a kit's file its page shows."""

    class _Rig(msgspec.Struct):
        class _Kit(msgspec.Struct):
            about: str = ""
            words: tuple[str, ...] = ()

        name: str = ""
        kit: _Kit | None = None

    rig: _Rig


def kits_in(folders: Iterable[Path]) -> list[KitFile]:
    """The kits in some folders, each folder by the names of its files. A rig that is no kit is
    none of them; a kit that can't be read says why."""
    found = []
    for folder in folders:
        for path in sorted(folder.glob("*.gremio")) if folder.is_dir() else ():
            try:
                head = msgspec.json.decode(path.read_bytes(), type=_Head).rig
            except (OSError, msgspec.DecodeError, UnicodeDecodeError) as error:
                found.append(KitFile(path, path.stem, wrong=f"It can't be read: {error}."))
                continue
            if head.kit is not None:
                found.append(KitFile(path, head.name, head.kit.about, head.kit.words))
    return found


def read_kit(path: str | os.PathLike[str]) -> Rig:
    """The kit in a file. Raises FileProblem, and GremioError for a rig that is none."""
    rig = rig_file.read(path)
    if rig.kit is None:
        raise GremioError(
            f"{Path(path).name} is a rig, and no kit. Open it, and keep a part of it as a kit."
        )
    return rig


class Put(NamedTuple):
    """A rig with a kit in it. use: id of the record of that. roots: ids of the parts that carry
    it."""

    rig: Rig
    use: ThingId
    roots: tuple[PartId, ...]


def put_kit(
    rig: Rig,
    kit: Rig,
    path: str | os.PathLike[str],
    *,
    on: PartId | None = None,
    at: Frame = IDENTITY,
    answers: Answers | None = None,
    places: Mapping[ThingId, Frame] | None = None,
    sizes: Mapping[ChannelKey, float] | None = None,
    geometry: GeometryOf,
    shelf: Shelf,
) -> Put:
    """The rig with the kit of a file put in, and with a record of that. As `kit_in`; sizes: what
    its dimensions are answered with (SI). geometry: of the rig. shelf: for the kit's surfaces.
    Raises GremioError."""
    asked = dict(sizes or {})
    sized = with_sizes(kit, asked, geometry=lambda solid: shelf.surface(kit, solid))
    made = kit_in(rig, sized, on=on, at=at, answers=answers, places=places, geometry=geometry)
    use = KitUse(
        kit.name, str(Path(path).resolve()), rig_file.fingerprint(path), made.ids, asked,
        _kept(sized),
    )  # fmt: skip
    rig, use_id = new_id(made.rig, "w")
    return Put(replace(rig, kits=with_entry(rig.kits, use_id, use)), use_id, made.roots)


def _kept(kit: Rig) -> str:
    """A kit as a rig keeps it, to tell what is otherwise in a later one."""
    plain = {i: replace(s, path=Path(s.path).name) for i, s in kit.sources.items()}
    return rig_file.encode_compact(replace(kit, sources=plain, kits={})).decode()


# ── taken up anew ──────────────────────────────────────────────────


def kit_notes(rig: Rig) -> list[Note]:
    """A note on each kit whose file is not as it was when it was put in."""
    return [
        Note(
            "kit-later", rig.kits[use].name,
            f"The kit {rig.kits[use].name} has changed since it was put in. The page of kits shows "
            "what, to be taken or left.", "warning",
        )
        for use in later_kits(rig)
    ]  # fmt: skip


class Change(NamedTuple):
    """What is otherwise in a later kit. here: whether that was changed in the rig too, so that
    taking it goes over that."""

    difference: Difference
    here: bool = False


class Later(NamedTuple):
    """A kit of a rig as its file has it now. kit: with its dimensions answered as they were.
    ids: of the rig's things by those of the kit. changes: what is otherwise."""

    use: ThingId
    kit: Rig
    ids: dict[ThingId, ThingId]
    changes: tuple[Change, ...]


def later_kits(rig: Rig) -> list[ThingId]:
    """Ids of the records whose kit's file is not as it was when it was put in."""
    return [
        i for i, use in rig.kits.items()
        if (now := rig_file.fingerprint(use.path)) and now != use.sha256
    ]  # fmt: skip


def later(rig: Rig, use_id: ThingId, *, shelf: Shelf) -> Later:
    """What is otherwise in the file of a kit than when it was put in. Raises NotFound, FileProblem,
    GremioError."""
    if use_id not in rig.kits:
        raise NotFound(f"The rig has no kit with the id {use_id!r}.")
    use = rig.kits[use_id]
    was = rig_file.decode(use.was.encode(), f"What is kept of {use.name}")
    now = read_kit(use.path)
    asked = now.kit.dimensions if now.kit is not None else ()
    names = same_things(was, now, compare(was, now))
    back = {old: new for new, old in names.items()}
    sizes = {}
    for channel, value in use.sizes.items():
        owner, _, name = channel.partition(" ")
        same = ChannelKey(f"{back.get(as_thing(owner), owner)} {name}".rstrip())
        if same in asked:
            sizes[same] = value
    sized = with_sizes(now, sizes, geometry=lambda solid: shelf.surface(now, solid))
    found = compare(was, sized)
    same_as = same_things(was, sized, found)
    ids = {new: use.ids[old] for new, old in same_as.items() if old in use.ids}
    there = {i for record in THINGS for i in record.of(rig)}
    roots = {part.name for part in was.parts.values() if part.parent is None}
    changes = []
    for one in found:
        if one.word in ("rig", "source") or (one.name in roots and one.where[:1] == ("mount",)):
            continue
        if one.how == "gone":
            here = use.ids.get(as_thing(one.thing))
            if here not in there:
                continue
            one = one._replace(thing=here)
        elif one.how != "new" and ids.get(as_thing(one.thing)) not in there:
            continue
        changes.append(Change(one, _changed_here(rig, was, use, one, same_as)))
    known = {new: as_thing(here) for new, here in ids.items()}
    return Later(use_id, sized, known, tuple(changes))


def _changed_here(
    rig: Rig, was: Rig, use: KitUse, one: Difference, same_as: Mapping[ThingId, ThingId]
) -> bool:
    """Whether the rig itself says something else than the kit did, where the later kit does."""
    if one.how != "changed" or not one.word:
        return False
    old = same_as.get(as_thing(one.thing))
    here = None if old is None else use.ids.get(old)
    if old is None or here is None:
        return False
    ids = {i: as_thing(there) for i, there in use.ids.items()}
    here_says = leaf(rig, as_thing(here), one.where, {})
    return bool(here_says != leaf(was, old, one.where, ids))


def brought_up(
    rig: Rig, found: Later, chosen: Iterable[Difference], *, geometry: GeometryOf
) -> Rig:
    """The rig with some changes of a later kit taken, the others left for good. Raises
    GremioError."""
    merged = taken_over(rig, found.kit, list(chosen), found.ids, geometry=geometry)
    use = rig.kits[found.use]
    there = {i for record in THINGS for i in record.of(merged.rig)}
    # What leads in place of a control of the kit is a channel.
    ids: dict[ThingId, str] = {
        i: here for i, here in merged.ids.items()
        if here in there or exists(merged.rig, ChannelKey(here))
    }  # fmt: skip
    now = replace(use, sha256=rig_file.fingerprint(use.path), ids=ids, was=_kept(found.kit))
    return replace(merged.rig, kits=with_entry(merged.rig.kits, found.use, now))


def forget_kit(rig: Rig, use_id: ThingId) -> Rig:
    """The rig in which what a kit brought is the rig's own from now on. Raises NotFound."""
    if use_id not in rig.kits:
        raise NotFound(f"The rig has no kit with the id {use_id!r}.")
    return replace(rig, kits=without(rig.kits, use_id))
