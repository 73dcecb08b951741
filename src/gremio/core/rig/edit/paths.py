"""Edits on paths."""

from __future__ import annotations

from msgspec.structs import replace

from gremio.core.problem import GremioError
from gremio.core.rig.channels import link_label
from gremio.core.rig.edit.change import must_have, new_id, with_entry, without
from gremio.core.rig.link_numbers import has_length
from gremio.core.rig.model import Path, Rig, Rolling


def add_path(rig: Rig, path: Path) -> tuple[Rig, str]:
    """The rig with one more path, and its id.

    Refuses fewer than two different points, points that are no numbers, and a name that
    another path has.
    """
    if not path.name.strip() or path.name in {other.name for other in rig.paths.values()}:
        raise GremioError(f"A path needs a name of its own; {path.name!r} is none. Choose another.")
    if not has_length(path):
        raise GremioError(f"The path {path.name} needs two different points at least.")
    if path.on is not None:
        must_have(rig.parts, path.on, "part")
    rig, path_id = new_id(rig, "w")
    return replace(rig, paths=with_entry(rig.paths, path_id, path)), path_id


def remove_path(rig: Rig, path_id: str) -> Rig:
    """Take out a path. Refuses while a wheel or a repeat follows it."""
    path = must_have(rig.paths, path_id, "path")
    for link in rig.links.values():
        if isinstance(link, Rolling) and link.path == path_id:
            raise GremioError(f"{path.name} is used by {link_label(rig, link)}. Remove that first.")
    for part in rig.parts.values():
        if part.repeat is not None and part.repeat.path == path_id:
            raise GremioError(f"{part.name} is repeated along {path.name}. Have it once first.")
    return replace(rig, paths=without(rig.paths, path_id))
