"""The Card of a part: joint, values, stops, home, what it is led by, what it leads, shape."""

from __future__ import annotations

from functools import partial

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from gremio.core.frames import angles_of_turn, frame_of, matrix, tidy_frame, turn_of_angles
from gremio.core.quantity import UNITS, Kind
from gremio.core.rig.channels import (
    AXES,
    CHANNELS,
    JOINT_KINDS,
    axes_of,
    channel_kind,
    channel_unit,
    free_of,
    freed,
    grounded,
    has_axis,
    key,
)
from gremio.core.rig.edit.mounts import move_mount, place_part
from gremio.core.rig.edit.parts import (
    change_part,
    descendants,
    ground_channel,
    rename_part,
    set_joint,
    set_parent,
    set_repeat,
    set_stops,
)
from gremio.core.rig.edit.prepare import has_scale, without_scale
from gremio.core.rig.model import Joint, Repeat, Rig, Stops
from gremio.core.rig.solids import Mesh
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.links import add_link_sections
from gremio.desktop.card.rows import (
    Hatched,
    Sheet,
    choice,
    heading,
    link_button,
    menu_button,
    narrow_field,
    number_field,
    rule,
    second,
    short_channels,
    title_field,
)
from gremio.desktop.card.shape_section import ShapeSection
from gremio.desktop.copying import copying_menu
from gremio.desktop.document import Document, Edit
from gremio.desktop.fields import OptionalField, QuantityField
from gremio.desktop.preparing import align_mount, mount_in_box, roll_wheel
from gremio.desktop.rigging import set_home
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

Array = npt.NDArray[np.float64]
_GROUND = "the ground"
_TYPING = ("moves the part", "moves the mount")


class PartSheet(Sheet):
    """What is known of one part. formula_wanted: a formula for a channel, by key."""

    formula_wanted = pyqtSignal(str)

    def __init__(self, document: Document, bench: Bench, part: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.bench, self.part, self.inks = document, bench, part, inks
        self._values: dict[str, QuantityField] = {}
        entry = document.rig.parts[part]
        self.add(title_field(entry.name, "Name", self._rename))
        self.add(second(self._subtitle()))
        self.add(rule())
        self._add_joint()
        self._add_channels()
        self._add_mount()
        add_link_sections(self, document, part, inks)
        ShapeSection(self, document, part)
        self._add_use()
        self.end()
        self.take_pose()

    # ── what is shown ──────────────────────────────────────────────

    def _subtitle(self) -> str:
        entry = self.document.rig.parts[self.part]
        words = ["part"]
        corners = self._corners()
        if len(corners):
            x, y, z = (f"{v:.3g}" for v in np.ptp(corners, axis=0))
            words.append(f"{x} × {y} × {z} m")
        if any(isinstance(shape.solid, Mesh) for shape in entry.shapes):
            source = next(s.solid.source for s in entry.shapes if isinstance(s.solid, Mesh))
            if source in self.document.rig.sources:
                words.append(self.document.rig.sources[source].path.rsplit("/", 1)[-1])
        return " · ".join(words)

    def take_pose(self) -> None:
        """Show where the channels stand now."""
        for channel, field in self._values.items():
            field.set_value(self.document.pose.at(channel))

    def _add_joint(self) -> None:
        joint = self.document.rig.parts[self.part].joint
        kinds = choice(
            [kind.capitalize() for kind in JOINT_KINDS],
            joint.kind.capitalize(),
            "Joint",
            lambda text: self._set_joint(_joint_of_kind(text.lower(), joint)),
        )
        if not has_axis(joint.kind):
            self.row("Joint", kinds)
            return
        word = {"slide": "along", "cylinder": "along", "planar": "across"}.get(joint.kind, "about")
        axis = choice(
            [f"{word} {a}" for a in axes_of(joint.kind)],
            f"{word} {joint.axis}",
            "Axis",
            lambda text: self._set_joint(replace(joint, axis=text[-1])),
        )
        self.row("Joint", kinds, axis)
        if joint.kind == "screw":
            lead = number_field(self.document, self, "length", "Lead of the screw")
            lead.unit = "mm"
            lead.set_value(joint.lead)
            lead.committed.connect(lambda value: self._set_joint(replace(joint, lead=value)))
            self.row("A turn is", lead)

    def _add_channels(self) -> None:
        entry = self.document.rig.parts[self.part]
        for channel in free_of(entry):
            channel_key = key(self.part, channel)
            field = number_field(
                self.document, self, channel_kind(channel), f"{entry.name} {channel}"
            )
            field.committed.connect(lambda value, c=channel_key: self._move(c, value))
            field.offer = copying_menu(self.document, channel_key)
            self._values[channel_key] = field
            write = link_button("=", partial(self.formula_wanted.emit, channel_key))
            write.setToolTip("Write a formula for it")
            write.setFixedWidth(20)
            write.setFont(text_font(12, bold=True))
            write.setAccessibleName(f"Formula for {channel}")
            self.row(channel.capitalize(), field, write)
        given = [c for c in self.document.rig.constraints.values() if c.part == self.part]
        for channel in freed(entry.joint):
            stops = entry.stops.get(channel, Stops())
            if stops == Stops() and any(channel in c.freed for c in given):
                # It was freed for a constraint, which is all that moves it.
                continue
            axis = "" if len(freed(entry.joint)) == 1 else f" {channel[-1]}"
            symbol = UNITS[channel_unit(channel)].symbol
            self.row(f"Stops{axis}, {symbol}".rstrip(", "), *self._stop_fields(channel, stops))
            if stops != Stops():
                soft = number_field(
                    self.document,
                    self,
                    channel_kind(channel),
                    f"Soft before the stops of {channel}",
                )
                soft.set_value(stops.soft)
                soft.setToolTip("How far before a stop it slows down")
                soft.committed.connect(lambda value, c=channel: self._set_stop(c, "soft", value))
                self.row("soft over", soft)
        if freed(entry.joint):
            buttons = QWidget()
            line = QHBoxLayout(buttons)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(link_button("go home", self._go_home, "Bring it home (H)"))
            line.addWidget(
                link_button("set home here", self._set_home, "Count zero from where it is now")
            )
            self.row("Home", buttons)
        self.row("Grounded", Hatched(self.inks, short_channels(grounded(entry.joint))))
        free = freed(entry.joint)
        offers = [f"{'ground' if c in free else 'free'} {c}" for c in CHANNELS]
        self.row("", menu_button(_ONE, _ONE, offers, self._set_grounded))

    def _stop_fields(self, channel: str, stops: Stops) -> tuple[OptionalField, OptionalField]:
        made = []
        for end in ("low", "high"):
            field = OptionalField(
                channel_kind(channel), channel_unit(channel), f"{end.capitalize()} stop", self
            )
            field.setPlaceholderText("none")
            field.bare = True
            field.setToolTip(f"{end.capitalize()} stop; empty runs free")
            field.set_value(getattr(stops, end))
            field.committed.connect(lambda value, e=end: self._set_stop(channel, e, value))
            field.cleared.connect(lambda e=end: self._set_stop(channel, e, None))
            field.refused.connect(self.document.said)
            made.append(field)
        return made[0], made[1]

    def _add_mount(self) -> None:
        entry = self.document.rig.parts[self.part]
        self.add(heading("Mount"))
        carried = {self.part, *descendants(self.document.rig, self.part)}
        names = {
            other.name: other_id
            for other_id, other in self.document.rig.parts.items()
            if other_id not in carried
        }
        present = self.document.rig.parts.get(entry.parent or "")
        self.row(
            "On",
            choice(
                [_GROUND, *names],
                present.name if present else _GROUND,
                "Mounted on",
                lambda text: self._set_parent(names.get(text)),
            ),
        )
        at = [self._mount_field("length", f"Mount {a}", i) for i, a in enumerate(AXES)]
        for field, value in zip(at, entry.mount.at, strict=True):
            field.set_value(value)
        self.row("At, m", *at)
        angles = angles_of_turn(entry.mount.turn)
        turns = [self._mount_field("angle", f"Mount turn {a}", i) for i, a in enumerate(AXES)]
        for field, value in zip(turns, angles, strict=True):
            field.set_value(value)
        self.row("Turned, °", *turns)
        self.row(
            "Typing", choice(_TYPING, _TYPING[_mount_only], "What typing moves", _set_mount_only)
        )
        self.add(
            link_button(
                "Pick its place in the Bench…",
                lambda: self.bench.ask_place(self.part),
                "Put the mount on a corner, an edge, a circle or a face; the shape stays in place",
            )
        )
        if has_axis(entry.joint.kind):
            self.add(
                link_button(
                    "Pick its axis in the Bench…",
                    lambda: self.bench.ask_axis(self.part),
                    "Lay the axis along an edge, a hole or across a face",
                )
            )
        if any(c.startswith("turn") for c in freed(entry.joint)) and entry.shapes:
            tip = "Its turn is then the way it is carried ÷ its radius"
            self.add(link_button("Let it roll as it is carried", self._roll, tip))
        if freed(entry.joint):
            self.add(
                link_button("Try its axis", lambda: self.bench.try_axis(self.part), "A wiggle (A)")
            )
        ways = [*_PUTS, *(f"square to {name}" for name in names)]
        self.add(menu_button(_PUT, _PUT, ways, self._put))
        if has_scale(entry):
            self.add(link_button("Take its scale out", self._take_scale_out, "Nothing moves"))

    def _mount_field(self, kind: Kind, what: str, index: int) -> QuantityField:
        field = narrow_field(self.document, self, kind, what)
        field.setToolTip(what)
        field.committed.connect(lambda value: self._place(kind, index, value))
        return field

    def _add_use(self) -> None:
        """How it is shown while working light, and how it is repeated."""
        entry = self.document.rig.parts[self.part]
        repeat = entry.repeat
        paths = {path.name: path_id for path_id, path in self.document.rig.paths.items()}
        along = [_ONCE, "line", "circle", *paths]
        present = _ONCE
        if repeat is not None:
            names = {path_id: name for name, path_id in paths.items()}
            present = names.get(repeat.path, repeat.along)
        self.add(heading("Repeat and stand-in"))
        kind = choice(
            along, present, "Repeat along", lambda text: self._repeat(text, paths.get(text, ""))
        )
        if repeat is None or repeat.along == "path":
            self.row("Repeat", kind)
        else:
            word = "round" if repeat.along == "circle" else "along"
            axes = [f"{word} {a}" for a in AXES]
            axis = choice(
                axes, f"{word} {repeat.axis}", "Repeat axis",
                lambda text: self._set_repeat(replace(repeat, axis=text[-1])),
            )  # fmt: skip
            self.row("Repeat", kind, axis)
        stand_ins = ["box", "hull", "outline", "full"]
        self.row("Stand-in", choice(stand_ins, entry.stand_in, "Stand-in", self._set_stand_in))

    def _repeat(self, text: str, path: str) -> None:
        if text == _ONCE:
            self._set_repeat(None)
        elif path:
            self._set_repeat(Repeat("path", count=5, pitch=0.2, path=path))
        elif text == "circle":
            self._set_repeat(Repeat("circle", "z", count=6))
        else:
            corners = self._corners()
            wide = float(np.ptp(corners[:, 0])) if len(corners) else 0.2
            self._set_repeat(Repeat("line", "x", count=5, pitch=round(max(wide, 0.01) * 1.5, 3)))

    def _set_repeat(self, repeat: Repeat | None) -> None:
        self._edit("repeat", lambda rig: set_repeat(rig, self.part, repeat))

    def _set_stand_in(self, text: str) -> None:
        def change(rig: Rig) -> Rig:
            return change_part(rig, self.part, replace(rig.parts[self.part], stand_in=text))

        self._edit("stand-in", change)

    def _corners(self) -> Array:
        """(N, 3) corners of the boxes round its shapes, in its own frame."""
        scene = self.bench.scene()
        row = self.document.program.part_row[self.part]
        return scene.corners[scene.of_parts({row})].reshape(-1, 3)

    # ── what hands do ──────────────────────────────────────────────

    def _rename(self, name: str) -> None:
        old = self.document.rig.parts[self.part].name
        self.document.edit(f"rename {old}", lambda rig: rename_part(rig, self.part, name))
        self._sure()

    def _sure(self) -> None:
        """Show again what is, when an edit was refused."""
        self.document.selection_changed.emit()

    def _edit(self, what: str, change: Edit) -> None:
        name = self.document.rig.parts[self.part].name
        if not self.document.edit(f"{what} of {name}", change):
            self._sure()

    def _set_joint(self, joint: Joint) -> None:
        values = self.document.pose.part_of(self.part).channels
        self._edit("joint", lambda rig: set_joint(rig, self.part, joint, values))

    def _move(self, channel: str, value: float) -> None:
        self.document.move(channel, value)
        self.take_pose()

    def _set_stop(self, channel: str, end: str, value: float | None) -> None:
        present = self.document.rig.parts[self.part].stops.get(channel, Stops())
        stops = replace(present, **{end: value})
        self._edit(f"{end} stop", lambda rig: set_stops(rig, self.part, channel, stops))

    def _set_grounded(self, text: str) -> None:
        word, channel = text.split(" ", 1)
        values = self.document.pose.part_of(self.part).channels
        self._edit(
            text,
            lambda rig: ground_channel(rig, self.part, channel, word == "ground", values),
        )

    def _put(self, text: str) -> None:
        if text in (_PUTS[0], _PUTS[1]):
            mount_in_box(self.document, self.part, self._corners(), text == _PUTS[1])
        elif text == _PUTS[2]:
            align_mount(self.document, self.part, "")
        else:
            name = text.removeprefix("square to ")
            other = next(i for i, p in self.document.rig.parts.items() if p.name == name)
            align_mount(self.document, self.part, other)
        self._sure()

    def _roll(self) -> None:
        roll_wheel(self.document, self.part)

    def _take_scale_out(self) -> None:
        self._edit("scale", lambda rig: without_scale(rig, self.part))

    def _go_home(self) -> None:
        self.document.send_home(self.document.channels_of(self.part))

    def _set_home(self) -> None:
        set_home(self.document)

    def _set_parent(self, parent: str | None) -> None:
        pose, entry = self.document.pose, self.document.rig.parts[self.part]
        old = pose.frame_of(entry.parent)
        new = pose.frame_of(parent)
        mount = frame_of(np.linalg.inv(new) @ old @ matrix(entry.mount))
        self._edit("mount", lambda rig: set_parent(rig, self.part, parent, mount))

    def _place(self, kind: Kind, index: int, value: float) -> None:
        mount = self.document.rig.parts[self.part].mount
        if kind == "length":
            at = [value if i == index else v for i, v in enumerate(mount.at)]
            mount = tidy_frame(at, mount.turn, mount.scale)
        else:
            angles = list(angles_of_turn(mount.turn))
            angles[index] = value
            mount = replace(mount, turn=turn_of_angles((angles[0], angles[1], angles[2])))
        change = move_mount if _mount_only else place_part
        self._edit("mount", lambda rig: change(rig, self.part, mount))


_ONE = "free or ground one…"
_PUT = "Put the mount…"
_PUTS = ("in the middle of its shapes", "under them, at the bottom", "square to the world")
_ONCE = "once"
# What the Card was last told: a convenience of the screen, not of the rig.
_mount_only = False


# A screw that has just been made goes so far in a turn (m); the Card says so, to be changed.
_USUAL_LEAD = 0.004


def _joint_of_kind(kind: str, present: Joint) -> Joint:
    """A joint of another kind, with what fits of the present one."""
    named = next(k for k in JOINT_KINDS if k == kind)
    return Joint(named, present.axis, lead=_USUAL_LEAD if named == "screw" else 0.0)


def _set_mount_only(text: str) -> None:
    global _mount_only
    _mount_only = text == _TYPING[1]
