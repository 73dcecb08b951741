"""Writing URDF: links, joints, limits, ratios as mimic joints, visuals, base colours."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import partial
from pathlib import Path

import numpy as np
from lxml import etree

from gremio.core.arrays import Array
from gremio.core.edit.controls import all_home
from gremio.core.files import atomic
from gremio.core.frames import IDENTITY, Frame, angles_of_turn, frame_of, matrix
from gremio.core.make.faces import with_faces
from gremio.core.make.releasing import release
from gremio.core.plan.joints import APPLIED
from gremio.core.plan.trains import Train
from gremio.core.problem import Note
from gremio.core.rig.channels import freed, key, split
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.links import adds, link_label
from gremio.core.rig.model import Part, Ratio, Rig, Shape
from gremio.core.rig.numbers import closure_label, full_label
from gremio.core.rig.solids import Ball, Box, Cylinder
from gremio.core.shape.geometry import Geometry
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.program import Program
from gremio.core.surfaces.shelf import Shelf

GROUND = "ground"
_FAR = 1e3


def write_urdf(rig: Rig, path: Path, shelf: Shelf) -> list[Note]:
    """Write a rig, at home, as URDF, without the shapes of what is hidden; its other shapes go as
    STL into a folder beside it. What
    is constrained stands where its constraint has it at home.

    Returns what URDF can't carry, each with the name of the part. Raises FileProblem.
    """
    writer = _Writer(with_faces(rig), path, shelf)
    text = writer.write()
    folder = path.with_name(f"{path.stem}-meshes")
    if writer.meshes:
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise atomic.FileProblem(f"{folder} could not be made: {error.strerror}.") from None
    for name, data in writer.meshes.items():
        atomic.write(folder / name, data)
    atomic.write(path, text)
    return writer.notes


class _Writer:
    """Gathers one URDF and its meshes."""

    def __init__(self, rig: Rig, path: Path, shelf: Shelf) -> None:
        self.tied = rig
        at_home = all_home(rig)
        program = compile_rig(at_home, partial(shelf.geometry, rig))
        standing = evaluate(program, {}).frame(0)
        # What something leads in the data is as it stands at home.
        self.rig = release(standing.rig, rig.constraints, standing)
        self.hidden, self.path, self.shelf = standing.hidden, path, shelf
        self.program: Program = compile_rig(all_home(self.rig), partial(shelf.geometry, rig))
        self.notes: list[Note] = []
        self.meshes: dict[str, bytes] = {}
        self.names: set[str] = {GROUND}
        self.links: dict[str, str] = {}
        self.joints: dict[str, str] = {}
        self.root = etree.Element("robot", name=_word(rig.name) or "rig")

    def write(self) -> bytes:
        """The text of the URDF."""
        etree.SubElement(self.root, "link", name=GROUND)
        mimics = self._mimics()
        for part_id in self.program.part_ids:
            self._part(part_id, self.rig.parts[part_id], mimics)
        self._tell_links()
        # What is lost outright comes before what is only carried otherwise.
        self.notes.sort(key=lambda note: note.code not in ("urdf-link", "urdf-loop"))
        text: bytes = etree.tostring(
            self.root, xml_declaration=True, encoding="utf-8", pretty_print=True
        )
        return text

    def _name(self, wanted: str) -> str:
        name, number = _word(wanted) or "part", 2
        while name in self.names:
            name, number = f"{_word(wanted) or 'part'} {number}", number + 1
        self.names.add(name)
        return name

    def _note(self, code: str, part: str, text: str) -> None:
        self.notes.append(Note(code, part, text, "warning"))

    def _part(
        self, part_id: PartId, part: Part, mimics: dict[str, tuple[str, float, float]]
    ) -> None:
        parent_row = int(self.program.parents[self.program.part_row[part_id]])
        parent = GROUND if parent_row < 0 else self.links[self.program.part_ids[parent_row]]
        name = self._name(part.name)
        self.links[part_id] = name
        if part.mount.scale != (1.0, 1.0, 1.0):
            text = f"The mount of {part.name} is stretched; URDF has no scale, so it is left out."
            self._note("urdf-scale", part.name, text)
        if part.repeat is not None:
            text = f"{part.name} is repeated; URDF gets the first of it."
            self._note("urdf-repeat", part.name, text)
        mount = Frame(part.mount.at, part.mount.turn)
        steps = self._steps(part_id, part)
        # In URDF a joint's axis goes through its link's own zero.
        rest, axes = _with_own(part, steps)
        if rest is not None:
            steps = [*steps, ("fixed", "")]
        elif len(steps) == 1:
            mount = frame_of(matrix(mount) @ matrix(part.own))
        for index, (kind, channel) in enumerate(steps):
            last = index == len(steps) - 1
            child = name if last else self._name(f"{part.name} {channel or kind}")
            joint = self._name(f"{part.name} joint" if last else f"{part.name} {channel} joint")
            at = mount if index == 0 else IDENTITY
            at = rest if rest is not None and last else at
            self._joint(joint, kind, parent, child, at, part_id, channel, axes, mimics)
            if not last:
                etree.SubElement(self.root, "link", name=child)
            parent = child
        link = etree.SubElement(self.root, "link", name=name)
        if part_id in self.hidden:
            return
        for shape in part.shapes:
            self._visual(link, name, shape)

    def _steps(self, part_id: PartId, part: Part) -> list[tuple[str, str]]:
        """(URDF joint type, channel) from the parent to the part, one after another."""
        free = freed(part.joint)
        plain = not part.joint.freed and not part.joint.grounded
        if plain and part.joint.kind in ("free", "planar"):
            return [("floating" if part.joint.kind == "free" else "planar", "")]
        scales = [c for c in free if c.startswith("scale")]
        if scales:
            self._note("urdf-scale", part.name, f"{part.name} can stretch; URDF parts can't.")
        steps = []
        for channel in (c for c in APPLIED if c in free and c not in scales):
            row = self.program.channel_row[key(part_id, channel)]
            low, high = self.program.low[row], self.program.high[row]
            if channel.startswith("move"):
                steps.append(("prismatic", channel))
            else:
                stopped = np.isfinite(low) and np.isfinite(high)
                steps.append(("revolute" if stopped else "continuous", channel))
        return steps or [("fixed", "")]

    def _joint(
        self,
        name: str,
        kind: str,
        parent: str,
        child: str,
        at: Frame,
        part_id: PartId,
        channel: str,
        axes: Array,
        mimics: dict[str, tuple[str, float, float]],
    ) -> None:
        joint = etree.SubElement(self.root, "joint", name=name, type=kind)
        _origin(joint, at)
        etree.SubElement(joint, "parent", link=parent)
        etree.SubElement(joint, "child", link=child)
        part = self.rig.parts[part_id]
        axis = channel[-1] if channel else part.joint.axis
        if kind != "fixed" and kind != "floating":
            etree.SubElement(joint, "axis", xyz=_numbers(axes["xyz".index(axis)]))
        if not channel:
            return
        channel_key = key(part_id, channel)
        self.joints[channel_key] = name
        self._limits(joint, kind, part.name, channel_key)
        if channel_key in mimics:
            lead, ratio, offset = mimics[channel_key]
            etree.SubElement(
                joint, "mimic", joint=self.joints[lead], multiplier=repr(ratio), offset=repr(offset)
            )

    def _limits(self, joint: etree._Element, kind: str, name: str, channel: ChannelKey) -> None:
        row = self.program.channel_row[channel]
        low, high = float(self.program.low[row]), float(self.program.high[row])
        if self.program.soft[:, row].any():
            self._note("urdf-soft", name, f"The soft stop of {name} is a plain one in URDF.")
        if kind == "continuous":
            if np.isfinite(low) or np.isfinite(high):
                text = f"{full_label(self.rig, channel)} has one stop; URDF takes two or none."
                self._note("urdf-stop", name, text)
            return
        if kind == "prismatic" and not (np.isfinite(low) and np.isfinite(high)):
            text = (
                f"{full_label(self.rig, channel)} runs free; URDF wants a limit, so it gets "
                f"{_FAR:g} m."
            )
            self._note("urdf-limit", name, text)
        ends = {"lower": max(low, -_FAR), "upper": min(high, _FAR)}
        etree.SubElement(
            joint, "limit", lower=repr(ends["lower"]), upper=repr(ends["upper"]),
            effort="0", velocity="0",
        )  # fmt: skip

    def _mimics(self) -> dict[str, tuple[str, float, float]]:
        """(lead channel, multiplier, offset) of each channel that follows another's joint."""
        found: dict[str, tuple[str, float, float]] = {}
        order = {c: i for i, c in enumerate(self.program.channel_keys)}
        seen: set[int] = set()
        for train in self.program.trains.values():
            if id(train) not in seen and len(train.inputs) == 1:
                seen.add(id(train))
                found.update(_train_mimics(train, order))
        return found

    def _tell_links(self) -> None:
        for link in self.rig.links.values():
            train = None
            if isinstance(link, Ratio) and not adds(link):
                train = self.program.trains.get(link.follower)
            carried = train is not None and len(train.inputs) == 1
            if not carried:
                text = f"URDF can't carry {link_label(self.rig, link)}; it is left out."
                self._note("urdf-link", "", text)

        for closure in self.rig.closures.values():
            told = closure_label(self.rig, closure)
            self._note("urdf-loop", "", f"URDF has no closed loops: {told} is left out.")
        for constraint in self.tied.constraints.values():
            told = constraint_words(self.tied, constraint)
            text = f"URDF has no constraints: that {told} is left out; it stands as at home."
            self._note("urdf-constraint", "", text)
        for strand in self.rig.strands.values():
            text = f"URDF has nothing that takes up a way: {strand.name} is left out."
            self._note("urdf-strand", "", text)

    def _visual(self, link: etree._Element, name: str, shape: Shape) -> None:
        visual = etree.SubElement(link, "visual")
        place, geometry = shape.place, None
        even = place.scale == (1.0, 1.0, 1.0)
        match shape.solid:
            case Box() if even:
                size = (shape.solid.length, shape.solid.width, shape.solid.height)
                geometry = etree.Element("box", size=_numbers(size))
            case Cylinder() if even:
                geometry = etree.Element(
                    "cylinder", radius=repr(shape.solid.diameter / 2),
                    length=repr(shape.solid.height),
                )  # fmt: skip
            case Ball() if even:
                geometry = etree.Element("sphere", radius=repr(shape.solid.diameter / 2))
        if geometry is None:
            geometry = self._mesh(name, shape)
        _origin(visual, Frame(place.at, place.turn))
        etree.SubElement(visual, "geometry").append(geometry)
        material = etree.SubElement(visual, "material", name=shape.paint)
        rgb = [int(shape.paint[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        etree.SubElement(material, "color", rgba=_numbers([*rgb, 1.0]))

    def _mesh(self, name: str, shape: Shape) -> etree._Element:
        surface = self.shelf.geometry(self.rig, shape.solid)
        file = f"{re.sub(r'[^A-Za-z0-9]+', '-', name).strip('-').lower() or 'part'}"
        number = sum(1 for known in self.meshes if known.startswith(f"{file}-")) + 1
        file = f"{file}-{number}.stl"
        self.meshes[file] = stl(surface)
        folder = f"{self.path.stem}-meshes"
        return etree.Element("mesh", filename=f"{folder}/{file}", scale=_numbers(shape.place.scale))


def _with_own(part: Part, steps: list[tuple[str, str]]) -> tuple[Frame | None, Array]:
    """The frame of a fixed joint that a part's own frame needs behind its joints, None where it
    needs none, and (3, 3) the joint's axes as its link sees them, a row each."""
    if part.own == IDENTITY:
        return None, np.eye(3)
    own = matrix(part.own)
    if len(steps) > 1:
        return part.own, np.eye(3)
    kind, channel = steps[0]
    axis = np.eye(3)["xyz".index(channel[-1] if channel else part.joint.axis)]
    off = own[:3, 3] - axis * float(axis @ own[:3, 3])
    turns = kind in ("revolute", "continuous", "planar", "floating")
    if turns and float(np.linalg.norm(off)) > 1e-12:
        return part.own, np.eye(3)
    axes: Array = own[:3, :3].copy()
    return None, np.where(np.abs(axes) < 1e-15, 0.0, axes)


def _train_mimics(
    train: Train, order: dict[ChannelKey, int]
) -> Iterable[tuple[str, tuple[str, float, float]]]:
    """Every member of a train as it follows the first that is a part."""
    (given,) = train.inputs
    shares = {c: (s.factors.get(given, 0.0), s.constant) for c, s in train.shares.items()}
    shares[given] = (1.0, 0.0)
    members = sorted((c for c in shares if split(c)[1]), key=order.__getitem__)
    turning = [c for c in members if shares[c][0] != 0.0]
    if not turning:
        return
    lead = turning[0]
    factor, constant = shares[lead]
    for channel in members:
        if channel != lead:
            f, c = shares[channel]
            yield channel, (lead, f / factor, c - constant * f / factor)


def stl(surface: Geometry) -> bytes:
    """A binary STL of a surface."""
    facets = np.zeros(
        len(surface.triangles),
        dtype=[("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")],
    )
    facets["normal"] = surface.face_normals
    facets["corners"] = surface.vertices[surface.triangles]
    head = b"Gremio".ljust(80, b" ") + np.uint32(len(facets)).tobytes()
    return head + facets.tobytes()


def _origin(element: etree._Element, frame: Frame) -> None:
    etree.SubElement(
        element, "origin", xyz=_numbers(frame.at), rpy=_numbers(angles_of_turn(frame.turn))
    )


def _numbers(values: Iterable[float]) -> str:
    return " ".join(repr(float(v)) for v in values)


def _word(text: str) -> str:
    return " ".join(text.split())
