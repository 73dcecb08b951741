"""Edits on paths."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.change import (
    check_new_name,
    known_or_new,
    must_have,
    new_id,
    well_formed,
    with_entry,
    without,
)
from gremio.core.problem import GremioError
from gremio.core.rig.constraints import constraint_words, targets_of
from gremio.core.rig.ids import ThingId
from gremio.core.rig.links import link_label
from gremio.core.rig.model import Path, Rig, Rolling
from gremio.core.rig.path_points import wrong_path


def add_path(rig: Rig, path: Path) -> tuple[Rig, ThingId]:
    """The rig with one more path, and its id.

    Refuses points that make no path, and a name that is taken.
    """
    rig, path_id = new_id(rig, "w")
    return change_path(rig, path_id, path), path_id


def change_path(rig: Rig, path_id: ThingId, path: Path) -> Rig:
    """The rig with a path in place of the one of this id. Refuses as `add_path` does."""
    if rig.paths.get(path_id) == path:
        return rig
    known_or_new(rig, rig.paths, path_id, "path")
    present = rig.paths.get(path_id)
    check_new_name(rig, path.name, present.name if present else None)
    if wrong := wrong_path(path):
        raise GremioError(wrong)
    if path.on is not None:
        must_have(rig.parts, path.on, "part")
    well_formed(path, path.name)
    return replace(rig, paths=with_entry(rig.paths, path_id, path))


def remove_path(rig: Rig, path_id: ThingId) -> Rig:
    """Take out a path. Refuses while a wheel, a repeat or a constraint follows it."""
    path = must_have(rig.paths, path_id, "path")
    for link in rig.links.values():
        if isinstance(link, Rolling) and link.path == path_id:
            raise GremioError(f"{path.name} is used by {link_label(rig, link)}. Remove that first.")
    for part in rig.parts.values():
        if part.repeat is not None and part.repeat.path == path_id:
            raise GremioError(f"{part.name} is repeated along {path.name}. Have it once first.")
    for constraint in rig.constraints.values():
        if path_id in (target.path for target in targets_of(constraint)):
            told = constraint_words(rig, constraint)
            raise GremioError(f"{told}. Remove that constraint first.")
    return replace(rig, paths=without(rig.paths, path_id))
