"""What a rig's text says that this Gremio does not know: fields, and kinds of things."""

from __future__ import annotations

from typing import Any

from msgspec import inspect


def without_unknown(value: Any, kind: type[Any]) -> tuple[Any, list[str]]:
    """A value of plain lists and mappings without what its type does not know, and the places of
    that: "rig.links.k3.damping". Things of an unknown kind go as a whole."""
    lost: list[str] = []
    kept = _known(value, _type_of(kind), "", lost)
    return kept, lost


def _type_of(kind: type[Any]) -> inspect.Type:
    return inspect.type_info(kind)


_NOTHING = object()


def _known(value: Any, kind: inspect.Type, place: str, lost: list[str]) -> Any:
    """What is known of a value; _NOTHING where it is of a kind that is not."""
    match kind:
        case inspect.UnionType():
            return _one_of(value, kind, place, lost)
        case inspect.StructType() if isinstance(value, dict):
            return _fields(value, kind, place, lost)
        case inspect.DictType() if isinstance(value, dict):
            found = {k: _known(v, kind.value_type, f"{place}.{k}", lost) for k, v in value.items()}
            return {k: v for k, v in found.items() if v is not _NOTHING}
        case inspect.VarTupleType() | inspect.ListType() if isinstance(value, list):
            items = [_known(v, kind.item_type, f"{place}[{i}]", lost) for i, v in enumerate(value)]
            return [item for item in items if item is not _NOTHING]
        case inspect.TupleType() if isinstance(value, list):
            return value
        case inspect.LiteralType() if isinstance(value, str) and value not in kind.values:
            lost.append(f"{place} {value!r}")
            return _NOTHING
    return value


def _one_of(value: Any, union: inspect.UnionType, place: str, lost: list[str]) -> Any:
    structs = [kind for kind in union.types if isinstance(kind, inspect.StructType)]
    if not isinstance(value, dict) or not structs:
        others = [kind for kind in union.types if not isinstance(kind, inspect.NoneType)]
        return _known(value, others[0], place, lost) if len(others) == 1 and value else value
    fitting = [kind for kind in structs if kind.tag == value.get(kind.tag_field or "")]
    if len(structs) == 1:
        fitting = structs
    if not fitting:
        field = structs[0].tag_field
        lost.append(f"{place} of the kind {value.get(field or '')!r}")
        return _NOTHING
    return _fields(value, fitting[0], place, lost)


def _fields(value: dict[str, Any], kind: inspect.StructType, place: str, lost: list[str]) -> Any:
    known = {field.encode_name: field for field in kind.fields}
    found: dict[str, Any] = {}
    for name, item in value.items():
        here = f"{place}.{name}".lstrip(".")
        if name == kind.tag_field:
            found[name] = item
        elif name not in known:
            lost.append(here)
        else:
            kept = _known(item, known[name].type, here, lost)
            if kept is not _NOTHING:
                found[name] = kept
    required = [name for name, field in known.items() if field.required]
    if any(name in value and name not in found for name in required):
        # Without something it must have, a thing can't be kept at all.
        return _NOTHING
    return found
