"""Reading URDF: links become parts, joints their joints, mimic joints ratios.

XML is read with entities off, and nothing is fetched.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

import numpy as np
from lxml import etree
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import new_id
from gremio.core.edit.controls import add_leading
from gremio.core.edit.links import add_link
from gremio.core.files import atomic
from gremio.core.files.atomic import FileProblem
from gremio.core.files.model_in import ENDINGS, read_model
from gremio.core.frames import Frame, frame_of, matrix, triple, turn_of_angles
from gremio.core.problem import Note, with_article
from gremio.core.quantity import USUAL_UNIT, Kind
from gremio.core.rig.channels import freed, key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import ChannelKey, PartId, ThingId
from gremio.core.rig.model import (
    PAINT,
    Axis,
    Control,
    Joint,
    JointKind,
    Part,
    Ratio,
    Rig,
    Shape,
    Source,
    Stops,
    Up,
)
from gremio.core.rig.solids import Ball, Box, Cylinder, Mesh
from gremio.core.solve.compiling import compile_rig
from gremio.core.surfaces.models import Model
from gremio.core.surfaces.shelf import Shelf

_LARGEST = 64_000_000
_KINDS: dict[str, JointKind] = {
    "fixed": "fixed",
    "revolute": "hinge",
    "continuous": "spin",
    "prismatic": "slide",
    "planar": "planar",
    "floating": "free",
}


@dataclass
class _Reading:
    """What has been read so far."""

    file: Path
    shelf: Shelf
    rig: Rig
    notes: list[Note] = field(default_factory=list)
    parts: dict[str, PartId] = field(default_factory=dict)
    channels: dict[str, ChannelKey] = field(default_factory=dict)
    paints: dict[str, str] = field(default_factory=dict)
    names: set[str] = field(default_factory=set)
    sources: dict[str, tuple[ThingId, Model]] = field(default_factory=dict)

    def note(self, code: str, part: str, text: str) -> None:
        self.notes.append(Note(code, part, text, "warning"))


def read_urdf(path: str | Path, shelf: Shelf) -> tuple[Rig, list[Note]]:
    """The rig in a URDF file, with a control for each independent joint, and what could not
    be taken over. Models are put on the shelf. Raises FileProblem."""
    file = Path(path)
    robot = _robot(file)
    reading = _Reading(file, shelf, Rig(name=robot.get("name") or file.stem))
    for material in robot.iterfind("material"):
        paint = _paint(material, {})
        if paint:
            reading.paints[material.get("name", "")] = paint
    links = {link.get("name", ""): link for link in robot.iterfind("link")}
    joints = list(robot.iterfind("joint"))
    _check(file, links, joints)
    for name, joint in _from_the_root(file, links, joints):
        _add_part(reading, name, links[name], joint)
    for joint in joints:
        _mimic(reading, joint)
    _controls(reading)
    for name in ("transmission", "gazebo", "sensor"):
        if robot.find(name) is not None:
            reading.note("urdf-left-out", "", f"<{name}> in {file.name} is left out.")
    if robot.find(".//collision") is not None:
        reading.note("urdf-left-out", "", f"Collision shapes in {file.name} are left out.")
    return reading.rig, reading.notes


def _robot(file: Path) -> etree._Element:
    data = atomic.read(file, _LARGEST)
    parser = etree.XMLParser(
        resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False,
        remove_comments=True, remove_pis=True,
    )  # fmt: skip
    try:
        root = etree.fromstring(data, parser)
    except etree.XMLSyntaxError as error:
        raise FileProblem(f"{file.name} is no whole XML ({error}). Export it again.") from None
    if root.getroottree().docinfo.doctype:
        raise FileProblem(
            f"{file.name} declares its own document type, which a URDF does not need and Gremio "
            "does not read. Remove the DOCTYPE."
        )
    if root.tag != "robot":
        raise FileProblem(f"{file.name} is no URDF: it begins with <{root.tag}>, not <robot>.")
    return root


def _check(file: Path, links: dict[str, etree._Element], joints: list[etree._Element]) -> None:
    if not links:
        raise FileProblem(f"{file.name} has no links, so there is nothing to read.")
    for joint in joints:
        name = joint.get("name", "?")
        for end in ("parent", "child"):
            found = joint.find(end)
            wanted = found.get("link", "") if found is not None else ""
            if wanted not in links:
                raise FileProblem(
                    f"{file.name}: the joint {name!r} has the {end} {wanted!r}, which is no link."
                )
        if joint.get("type") not in _KINDS:
            kinds = ", ".join(_KINDS)
            raise FileProblem(
                f"{file.name}: the joint {name!r} is of type {joint.get('type')!r}. "
                f"URDF has {kinds}."
            )


def _from_the_root(
    file: Path, links: dict[str, etree._Element], joints: list[etree._Element]
) -> list[tuple[str, etree._Element | None]]:
    """(link, the joint above it) with parents before children."""
    above: dict[str, etree._Element] = {}
    below: dict[str, list[str]] = {}
    for joint in joints:
        parent, child = (_end(joint, end) for end in ("parent", "child"))
        if child in above:
            raise FileProblem(f"{file.name}: the link {child!r} hangs on two joints.")
        above[child] = joint
        below.setdefault(parent, []).append(child)
    order: list[tuple[str, etree._Element | None]] = []
    waiting = [name for name in links if name not in above]
    while waiting:
        name = waiting.pop(0)
        order.append((name, above.get(name)))
        waiting += below.get(name, [])
    if len(order) < len(links):
        lost = next(name for name in links if name not in dict(order))
        raise FileProblem(f"{file.name}: the link {lost!r} hangs on itself in a ring.")
    return order


def _end(joint: etree._Element, end: str) -> str:
    found = joint.find(end)
    return "" if found is None else str(found.get("link", ""))


def _add_part(
    reading: _Reading, name: str, link: etree._Element, joint: etree._Element | None
) -> None:
    rig = reading.rig
    parent, origin, kind, turn = None, np.eye(4), "fixed", np.eye(4)
    stops: dict[str, Stops] = {}
    made = Joint()
    if joint is not None:
        above = _end(joint, "parent")
        parent = reading.parts[above]
        origin = _origin(reading, joint)
        kind = str(joint.get("type"))
        axis, turn = _axis(reading, joint, kind)
        made = Joint(_KINDS[kind], axis)
        stops = _stops(reading, joint, made, kind)
    shapes = tuple(
        shape for visual in link.iterfind("visual") for shape in _shapes(reading, name, visual)
    )
    called = free_name(reading.names, name.strip() or "Part")
    reading.names.add(called)
    # The joint's axis is turned to where it must lie; the link keeps the frame it came with.
    own = frame_of(np.linalg.inv(turn))
    part = Part(called, parent, frame_of(origin @ turn), made, stops, shapes, own=own)
    rig, given = new_id(reading.rig, "p")
    part_id = PartId(given)
    reading.rig = replace(rig, parts={**rig.parts, part_id: part})
    reading.parts[name] = part_id
    free = freed(made)
    if joint is not None and len(free) == 1:
        reading.channels[joint.get("name", "")] = key(part_id, free[0])


def _axis(reading: _Reading, joint: etree._Element, kind: str) -> tuple[Axis, Array]:
    """One of the mount's axes, and the turn (4, 4) that brings it where the joint has it."""
    if kind in ("fixed", "floating"):
        return "z", np.eye(4)
    element = joint.find("axis")
    way = _vector(reading, element, "xyz", (1.0, 0.0, 0.0))
    size = float(np.linalg.norm(way))
    if size < 1e-9:
        reading.note("urdf-axis", joint.get("name", ""), "A joint has no axis; x is taken.")
        way, size = np.array([1.0, 0.0, 0.0]), 1.0
    way = way / size
    axes: tuple[Axis, ...] = ("x", "y", "z")
    for index, axis in enumerate(axes):
        if way[index] > 1 - 1e-9:
            return axis, np.eye(4)
    side = crossed(way, np.eye(3)[int(np.argmin(np.abs(way)))])
    side /= np.linalg.norm(side)
    turn = np.eye(4)
    turn[:3, :3] = np.stack([side, crossed(way, side), way], axis=1)
    return "z", turn


def _stops(reading: _Reading, joint: etree._Element, made: Joint, kind: str) -> dict[str, Stops]:
    limit = joint.find("limit")
    free = freed(made)
    if kind not in ("revolute", "prismatic") or limit is None or len(free) != 1:
        return {}
    low, high = (_number(reading, limit, end, 0.0) for end in ("lower", "upper"))
    if low > high:
        text = f"The limits of {joint.get('name')} are crossed ({low:g} above {high:g}); left out."
        reading.note("urdf-limits", joint.get("name", ""), text)
        return {}
    if joint.find("safety_controller") is not None or joint.find("dynamics") is not None:
        text = f"Friction, damping and safety limits of {joint.get('name')} are left out."
        reading.note("urdf-left-out", joint.get("name", ""), text)
    return {free[0]: Stops(low, high)}


def _mimic(reading: _Reading, joint: etree._Element) -> None:
    mimic = joint.find("mimic")
    if mimic is None:
        return
    name, lead = joint.get("name", ""), mimic.get("joint", "")
    if name not in reading.channels or lead not in reading.channels:
        text = f"{name} follows {lead!r}, which is no joint of one freedom; the mimic is left out."
        reading.note("urdf-mimic", name, text)
        return
    ratio = Ratio(
        reading.channels[lead], reading.channels[name],
        _number(reading, mimic, "multiplier", 1.0), _number(reading, mimic, "offset", 0.0),
    )  # fmt: skip
    try:
        reading.rig, _ = add_link(reading.rig, ratio)
    except Exception as problem:
        reading.note("urdf-mimic", name, f"The mimic of {name} is left out: {problem}")


def _controls(reading: _Reading) -> None:
    """A control for each joint that nothing leads."""
    program = compile_rig(reading.rig, partial(reading.shelf.geometry, reading.rig))
    names = names_in(reading.rig)
    wanted = []
    for name, channel in reading.channels.items():
        if channel in program.drives:
            continue
        row = program.channel_row[channel]
        low, high = float(program.low[row]), float(program.high[row])
        kind: Kind = "length" if channel.split()[1] == "move" else "angle"
        reach = 1.0 if kind == "length" else math.pi
        low = low if math.isfinite(low) else -reach
        high = high if math.isfinite(high) else reach
        if low >= high:
            continue
        called = free_name(names, name.strip() or "Control")
        names.add(called)
        home = min(max(0.0, low), high)
        wanted.append((Control(called, kind, USUAL_UNIT[kind], low, high, home), channel))
    reading.rig = add_leading(reading.rig, wanted)


def _shapes(reading: _Reading, name: str, visual: etree._Element) -> list[Shape]:
    geometry = visual.find("geometry")
    if geometry is None or len(geometry) == 0:
        return []
    place = _origin(reading, visual)
    material = visual.find("material")
    paint = PAINT if material is None else _paint(material, reading.paints) or PAINT
    solid = geometry[0]
    match solid.tag:
        case "box":
            x, y, z = _vector(reading, solid, "size", (1.0, 1.0, 1.0))
            made = Box(length=float(x), width=float(y), height=float(z))
            return [Shape(made, frame_of(place), paint)]
        case "cylinder":
            diameter = 2 * _number(reading, solid, "radius", 0.5)
            height = _number(reading, solid, "length", 1.0)
            return [Shape(Cylinder(diameter=diameter, height=height), frame_of(place), paint)]
        case "sphere":
            diameter = 2 * _number(reading, solid, "radius", 0.5)
            return [Shape(Ball(diameter=diameter), frame_of(place), paint)]
        case "mesh":
            return _mesh(reading, name, solid, place, paint if material is not None else "")
    reading.note(
        "urdf-shape", name, f"{name} has {with_article(str(solid.tag))}, which is left out."
    )
    return []


def _mesh(
    reading: _Reading, name: str, solid: etree._Element, place: Array, paint: str
) -> list[Shape]:
    wanted = str(solid.get("filename", ""))
    path = _model_path(reading.file, wanted)
    if path.suffix.lower() not in ENDINGS:
        endings = ", ".join(ENDINGS)
        text = f"{name} has the model {wanted!r}; Gremio reads {endings}, so it is left out."
        reading.note("urdf-mesh", name, text)
        return []
    try:
        source, model = _source(reading, path)
    except FileProblem as problem:
        reading.note("urdf-mesh", name, f"{problem} {name} has no shape from it.")
        return []
    stretch = np.diag([*_vector(reading, solid, "scale", (1.0, 1.0, 1.0)), 1.0])
    worlds: list[Array] = []
    shapes = []
    for node in model.nodes:
        above = np.eye(4) if node.parent is None else worlds[node.parent]
        worlds.append(above @ node.local)
        for piece in node.pieces:
            low, high = piece.geometry.bounds
            mesh = Mesh(
                source=source, piece=piece.name,
                centre=triple((low + high) / 2), size=triple(high - low),
            )  # fmt: skip
            shapes.append(Shape(mesh, frame_of(place @ stretch @ worlds[-1]), paint or piece.paint))
    return shapes


def _model_path(file: Path, wanted: str) -> Path:
    """Where a model is: beside the URDF, or in a package of which the URDF is a part."""
    plain = wanted.removeprefix("file://")
    if not plain.startswith("package://"):
        return file.parent / plain
    parts = Path(plain.removeprefix("package://")).parts
    for folder in (file.parent, *file.parents):
        for inside in (Path(*parts), Path(*parts[1:]) if len(parts) > 1 else Path(*parts)):
            if (folder / inside).exists():
                return folder / inside
    return file.parent / Path(*parts[1:])


def _source(reading: _Reading, path: Path) -> tuple[ThingId, Model]:
    known = reading.sources.get(str(path))
    if known is not None:
        return known
    up: Up = "y" if path.suffix.lower() in (".glb", ".gltf") else "z"
    model = read_model(path, up=up)
    reading.shelf.put(model)
    rig, source_id = new_id(reading.rig, "s")
    source = Source(str(model.path), model.sha256, model.metres, model.up)
    reading.rig = replace(rig, sources={**rig.sources, source_id: source})
    reading.sources[str(path)] = source_id, model
    return source_id, model


def _origin(reading: _Reading, element: etree._Element) -> Array:
    origin = element.find("origin")
    x, y, z = (float(v) for v in _vector(reading, origin, "xyz", (0.0, 0.0, 0.0)))
    roll, pitch, yaw = (float(v) for v in _vector(reading, origin, "rpy", (0.0, 0.0, 0.0)))
    return matrix(Frame((x, y, z), turn_of_angles((roll, pitch, yaw))))


def _vector(
    reading: _Reading,
    element: etree._Element | None,
    name: str,
    usual: tuple[float, float, float],
) -> Array:
    text = None if element is None else element.get(name)
    if text is None:
        return np.array(usual)
    try:
        values = np.array([float(word) for word in text.split()])
    except ValueError:
        values = np.zeros(0)
    if len(values) != 3 or not np.all(np.isfinite(values)):
        reading.note("urdf-number", "", f"{name}={text!r} is not three numbers; {usual} is taken.")
        return np.array(usual)
    return values


def _number(reading: _Reading, element: etree._Element, name: str, usual: float) -> float:
    text = element.get(name)
    if text is None:
        return usual
    try:
        value = float(text)
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        reading.note("urdf-number", "", f"{name}={text!r} is no number; {usual:g} is taken.")
        return usual
    return value


def _paint(material: etree._Element, named: dict[str, str]) -> str:
    """The base colour of a material; "" when it has none."""
    colour = material.find("color")
    if colour is None:
        return named.get(material.get("name", ""), "")
    try:
        rgb = [min(max(float(v), 0.0), 1.0) for v in colour.get("rgba", "").split()[:3]]
    except ValueError:
        return ""
    return "#" + "".join(f"{round(v * 255):02x}" for v in rgb) if len(rgb) == 3 else ""
