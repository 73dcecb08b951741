"""The Card of a part: joint, values, stops, home, what it is led by, what it leads, shape."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import get_args

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.mounts import move_mount, place_part, stands_at
from gremio.core.edit.parts import (
    change_part,
    descendants,
    ground_channel,
    rename_part,
    set_parent,
    set_repeat,
    set_stops,
)
from gremio.core.edit.prepare import has_scale, without_scale
from gremio.core.frames import Frame, Triple, angles_of_turn, frame_of, matrix, turn_of_angles
from gremio.core.make.axes import with_joint_on_axis
from gremio.core.make.lead_instead import leads_now
from gremio.core.quantity import UNITS, box_words, show_number_short, show_short
from gremio.core.rig.channels import (
    AXES,
    CHANNELS,
    JOINT_KINDS,
    SCALES,
    axes_of,
    channel_kind,
    free_of,
    freed,
    grounded,
    has_axis,
    key,
)
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.lengths import small_unit
from gremio.core.rig.model import Joint, JointKind, Part, Repeat, Rig, StandIn, Stops
from gremio.core.rig.numbers import SHOWN, shown_unit, stop_keys
from gremio.core.rig.solids import Mesh
from gremio.desktop.actions.hints import with_key
from gremio.desktop.actions.part_questions import RollsOn
from gremio.desktop.actions.place_questions import MountPlace
from gremio.desktop.actions.preparing import align_mount, mount_in_box, roll_wheel, turn_axis_round
from gremio.desktop.actions.rigging import set_home
from gremio.desktop.actions.touching import TOUCHES, until_it_touches
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.alike_section import alike_section
from gremio.desktop.card.driving_section import driving_section
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Field,
    Ground,
    Head,
    Menu,
    Number,
    Pick,
    Rail,
    Rule,
    Several,
    Thing,
    Title,
    Words,
    three,
)
from gremio.desktop.card.links import leads_section, led_section, tying
from gremio.desktop.card.shape_section import shape_section
from gremio.desktop.card.timed import timed_section
from gremio.desktop.document.document import Document
from gremio.desktop.document.mounted import as_mounted
from gremio.desktop.fields.pieces import short_channels
from gremio.desktop.theme.inks import Inks

_ONE = "Free or ground one"
_PUT = "Put it…"
# So many channels have their stops beside them; those of more are a section.
_RAILS = 2
_PUTS = ("in the middle of its shapes", "under them, at the bottom", "square to the world")
# A screw that has just been made goes so far in a turn (m); the Card says so, to be changed.
_USUAL_LEAD = 0.004
_ALONG = {"slide": "along", "cylinder": "along", "planar": "across"}


class PartSheet(FormSheet):
    """What is known of one part."""

    def __init__(self, document: Document, bench: Bench, part: PartId, inks: Inks) -> None:
        super().__init__(document, part, inks)
        self.bench, self.part = bench, part
        entry = self.entry
        self.lay(
            Title(lambda rig: rig.parts[part].name, lambda rig, n: rename_part(rig, part, n),
                  self._more(entry)),
            Words(self._subtitle()),
            self._verbs(),
            Rule(),
            self._joint(entry.joint),
            self._values(entry),
            self._grounded(entry),
            self._mount(entry),
            driving_section(self, part),
            led_section(document, part),
            leads_section(document, part),
            timed_section(document, part),
            alike_section(document, ThingId(part)),
            shape_section(self, part),
            self._use(entry),
        )  # fmt: skip
        self.end()
        self.take_pose()

    @property
    def entry(self) -> Part:
        """The part as it is now."""
        return self.document.rig.parts[self.part]

    # ── what is shown ──────────────────────────────────────────────

    def _subtitle(self) -> str:
        entry = self.entry
        words = ["part"]
        corners = self._corners()
        if len(corners):
            words.append(box_words(np.ptp(corners, axis=0), self.usual_unit("length")))
        meshes = [shape.solid for shape in entry.shapes if isinstance(shape.solid, Mesh)]
        if meshes and meshes[0].source in self.document.rig.sources:
            words.append(self.document.rig.sources[meshes[0].source].path.rsplit("/", 1)[-1])
        return ", ".join(words)

    def _verbs(self) -> Iterator[Field]:
        """What is done most with a part."""
        act = self.action_wanted.emit
        program, channels = self.document.program, self.document.channels_of(self.part)
        if any(c not in program.drives or leads_now(program, c) for c in channels):
            yield Act("Control", partial(act, "link.control"),
                      with_key("Make a control that leads it", "link.control"))  # fmt: skip
        if channels:
            yield Act("Lead", partial(act, "link.lead"),
                      with_key("Then click the part to lead", "link.lead"))  # fmt: skip
        yield tying(act)
        yield Act("Copy", partial(act, "edit.copy"), with_key("With what it carries", "edit.copy"))
        yield Act("Hide", partial(act, "bench.hide"),
                  with_key("Leave it out of the Bench", "bench.hide"))  # fmt: skip

    def _more(self, entry: Part) -> list[Act]:
        """What is done with it now and then."""
        act = self.action_wanted.emit
        found = [Act("Mirror…", partial(act, "edit.mirror"),
                     with_key("Its twin does what a mirror shows", "edit.mirror"))]  # fmt: skip
        if freed(entry.joint):
            found += [
                Act("Go home", self._go_home),
                Act("Set home here", self._set_home),
            ]
        if self.document.channels_of(self.part):
            found.append(Act("Let a motor drive it", partial(act, "link.motor")))
        found.append(Act("Let it shake", partial(act, "link.rumble")))
        if any(c.startswith("turn") for c in freed(entry.joint)) and entry.shapes:
            found.append(Act("Let it roll as it is carried", self._roll))
        if has_scale(entry):
            found.append(Act("Take its scale out", self._take_scale_out))
        return [*found, Act("Remove it", partial(act, "edit.remove"))]

    def _joint(self, joint: Joint) -> Iterator[Field]:
        kinds = Pick(
            "Joint",
            {kind.capitalize(): kind for kind in JOINT_KINDS},
            lambda rig: self._of(rig).joint.kind,
            lambda rig, kind: self._with_joint(rig, _joint_of_kind(kind, self._of(rig).joint)),
            "joint",
        )
        if not has_axis(joint.kind):
            yield kinds
            return
        word = _ALONG.get(joint.kind, "about")
        axis = Pick(
            "", {f"{word} {a}": a for a in axes_of(joint.kind)},
            lambda rig: self._of(rig).joint.axis,
            lambda rig, a: self._with_joint(rig, replace(self._of(rig).joint, axis=a)),
            "joint", "Axis",
        )  # fmt: skip
        yield Several("Joint", [kinds, axis])
        yield Act("Pick its axis…", partial(self.action_wanted.emit, "part.axis"),
                  with_key("Through an edge, a hole, a bar or a face", "part.axis"))  # fmt: skip
        yield Act("Try it", partial(self.action_wanted.emit, "part.try axis"),
                  with_key("A wiggle; nothing is changed", "part.try axis"))  # fmt: skip
        yield Act("⇄", partial(turn_axis_round, self.document, self.part),
                  "Turn it the other way: the same values bring it to the other side",
                  "Turn it the other way")  # fmt: skip
        if joint.kind == "screw":
            yield Amount(
                "A turn is", "length", lambda rig: self._of(rig).joint.lead,
                lambda rig, v: self._with_joint(rig, replace(self._of(rig).joint, lead=v)),
                "joint", "Lead of the screw", small_unit(self.document.rig),
            )  # fmt: skip

    def _roll(self) -> None:
        """Let it roll, and ask what on, where there is more than the ground."""
        if roll_wheel(self.document, self.part):
            self.bench.ask(RollsOn(self.document, self.document.selected, self.part))

    def _of(self, rig: Rig) -> Part:
        return rig.parts[self.part]

    def _values(self, entry: Part) -> Iterator[Field]:
        """Each channel with its value, and its stops as an instrument; of many, the stops stand in
        a section of their own."""
        free = free_of(entry)
        many = len(free) > _RAILS
        for channel in free:
            yield Number(channel.capitalize(), key(self.part, channel), f"{entry.name} {channel}")
            if not many:
                yield from self._stops(entry, channel)

    def _stops(self, entry: Part, channel: str) -> Iterator[Field]:
        if channel not in freed(entry.joint):
            # A repeat's own numbers have no stops.
            return
        given = [c for c in self.document.rig.constraints.values() if c.part == self.part]
        stops = entry.stops.get(channel, Stops())
        if stops == Stops() and any(channel in c.freed for c in given):
            # It was freed for a constraint, which is all that moves it.
            return
        low, high = (
            Number("", end, f"{word} stop" + (f" {channel}" if self._has_several(entry) else ""),
                   optional=True, help=f"{word} stop; empty runs free")
            for end, word in zip(stop_keys(key(self.part, channel)), ("Low", "High"), strict=True)
        )  # fmt: skip
        yield Rail(key(self.part, channel), low, high,
                   self._soft(channel) if stops != Stops() else None)  # fmt: skip
        yield Menu("Until it touches…", [*TOUCHES], partial(self._touch, channel),
                   f"Until it touches {channel}" if self._has_several(entry) else "",
                   "Stops where its shape touches another, or the way there")  # fmt: skip
        if stops.soft:
            yield Words(partial(self._asked, channel))

    def _touch(self, channel: str, words: str) -> None:
        until_it_touches(self.document, key(self.part, channel), words)

    @staticmethod
    def _has_several(entry: Part) -> bool:
        return len(freed(entry.joint)) > 1

    def _asked(self, channel: str) -> str:
        """What a channel is asked for, where its soft stop lets it come less far."""
        document, own = self.document, key(self.part, channel)
        asked, had = document.pose.asked(own), document.pose.at(own)
        unit = shown_unit(document.rig, own)
        if abs(asked - had) <= 1e-9:
            return ""
        return f"asked for {show_short(asked, unit)}, slowed to {show_short(had, unit)}"

    def _soft(self, channel: str) -> Amount:
        def put(rig: Rig, value: float) -> Rig:
            present = self._of(rig).stops.get(channel, Stops())
            return set_stops(rig, self.part, channel, replace(present, soft=value))

        return Amount(
            "eases over", channel_kind(channel),
            lambda rig: self._of(rig).stops.get(channel, Stops()).soft, put, "soft stop",
            f"Soft before the stops of {channel}",
            help="It slows down over the last so much before a stop",
        )  # fmt: skip

    def _grounded(self, entry: Part) -> Iterator[Field]:
        free = freed(entry.joint)
        offers = [f"{'ground' if c in free else 'free'} {c}" for c in CHANNELS]
        menu = Menu("⋯", offers, self._set_grounded, _ONE, "Free or ground one")
        every = grounded(entry.joint)
        # That nothing is scaled is so of nearly all there is.
        told = tuple(c for c in every if c not in SCALES) if {*SCALES} <= {*every} else every
        words = short_channels(told) if len(every) < len(CHANNELS) else "everything"
        yield Ground("Grounded", words or "scale", menu, help=short_channels(every))
        if len(free_of(entry)) > _RAILS:
            yield Head("Stops", folded=True, gist=self._stops_told)
            for channel in free_of(entry):
                yield Words(channel.capitalize())
                yield from self._stops(entry, channel)

    def _stops_told(self) -> str:
        found = [c for c, stops in self.entry.stops.items() if stops != Stops()]
        return ", ".join(found) or "none"

    def _mount(self, entry: Part) -> Iterator[Field]:
        rig = self.document.rig
        carried = {self.part, *descendants(rig, self.part)}
        names = {other.name: i for i, other in rig.parts.items() if i not in carried}
        parent = entry.parent if entry.parent in rig.parts else None
        yield Head("Stands at", self._stands, folded=True)
        yield Pick("On", {"the ground": None, **names}, lambda _rig: parent, self._set_parent,
                   "mount", "Mounted on")  # fmt: skip
        yield from _frame_fields("Part", "part stands", lambda rig: stands_at(self._of(rig)),
                                 self._place)  # fmt: skip
        yield from _frame_fields("Joint", "joint stands", lambda rig: self._of(rig).mount,
                                 lambda rig, mount: move_mount(rig, self.part, mount))  # fmt: skip
        yield Act(
            "Pick its place…",
            lambda: self.bench.ask(MountPlace(self.document, self.part)),
            "Put the joint on a corner, an edge, a circle or a face; the part stays in place",
        )
        yield Menu(_PUT, [*_PUTS, *(f"square to {name}" for name in names)], self._put)

    def _stands(self) -> str:
        """Where its joint stands, and on what."""
        entry = self.entry
        parent = self.document.rig.parts.get(entry.parent or GROUND)
        unit = self.usual_unit("length")
        x, y, z = (show_number_short(v, unit) for v in entry.mount.at)
        on = "" if parent is None else f" on {parent.name}"
        return f"{x}  {y}  {z} {UNITS[unit].symbol}{on}"

    def _use(self, entry: Part) -> Iterator[Field]:
        """How it is shown while working light, and how it is repeated."""
        repeat = entry.repeat
        paths = {path.name: i for i, path in self.document.rig.paths.items()}
        along = {"once": "", "line": "line", "circle": "circle", **paths}
        yield Head("Shown and repeated", self._shown_told, folded=True, name="How it is shown")
        shown = {"yes": True, "no": False}
        yield Pick(
            "Shown", shown, lambda rig: self._of(rig).shown,
            lambda rig, on: change_part(rig, self.part, replace(self._of(rig), shown=on)),
            "whether it is shown", key=key(self.part, SHOWN),
        )  # fmt: skip
        kind = Pick("Repeat", along, lambda rig: _along(self._of(rig).repeat), self._repeated,
                    "repeat", "Repeat along")  # fmt: skip
        if repeat is not None and repeat.path in self.document.rig.treads:
            yield Thing(
                "tread", self.document.rig.treads[repeat.path].name, "its links", repeat.path
            )
        elif repeat is None or repeat.along == "path":
            yield kind
        else:
            word = "round" if repeat.along == "circle" else "along"
            axis = Pick("", {f"{word} {a}": a for a in AXES}, lambda rig: _axis(self._of(rig)),
                        self._repeat_axis, "repeat", "Repeat axis")  # fmt: skip
            yield Several("Repeat", [kind, axis])
        yield Pick(
            "Stand-in", {kind: kind for kind in get_args(StandIn)},
            lambda rig: self._of(rig).stand_in,
            lambda rig, s: change_part(rig, self.part, replace(self._of(rig), stand_in=s)),
            "stand-in",
        )  # fmt: skip

    def _shown_told(self) -> str:
        entry = self.entry
        told = ["shown" if self.document.pose.at(key(self.part, SHOWN)) >= 0.5 else "not shown"]
        if entry.repeat is not None:
            told.append(f"{entry.repeat.count} times")
        if entry.stand_in != "full":
            told.append(f"stand-in: {entry.stand_in}")
        return ", ".join(told)

    def usual_reach(self) -> float:
        """As far as it is long (m)."""
        corners = self._corners()
        return max(float(np.ptp(corners, axis=0).max()), 1e-3) if len(corners) else 1.0

    def _repeat_axis(self, rig: Rig, axis: str) -> Rig:
        repeat = self._of(rig).repeat
        assert repeat is not None
        return set_repeat(rig, self.part, replace(repeat, axis=axis))

    def _repeated(self, rig: Rig, along: ThingId) -> Rig:
        made: Repeat | None
        if not along:
            made = None
        elif along == "circle":
            made = Repeat("circle", "z", count=6)
        elif along == "line":
            corners = self._corners()
            wide = float(np.ptp(corners[:, 0])) if len(corners) else 0.2
            made = Repeat("line", "x", count=5, pitch=round(max(wide, 0.01) * 1.5, 3))
        else:
            made = Repeat("path", count=5, pitch=0.2, path=along)
        return set_repeat(rig, self.part, made)

    def _corners(self) -> Array:
        """(N, 3) corners of the boxes round its shapes, in its own frame."""
        scene = self.bench.scene()
        row = self.document.program.part_row[self.part]
        return scene.corners[scene.of_parts({row})].reshape(-1, 3)

    # ── what hands do ──────────────────────────────────────────────

    def _with_joint(self, rig: Rig, joint: Joint) -> Rig:
        document = self.document
        rig, laid = with_joint_on_axis(
            rig, self.part, joint, document.settled(), geometry=document.geometry
        )
        if laid:
            document.said.emit(
                "Its axis runs through the middle of its shape. Pick another with Shift+A."
            )
        return rig

    def _set_grounded(self, text: str) -> None:
        word, channel = text.split(" ", 1)
        values = self.document.settled().part_of(self.part).channels
        self.edit(
            text, lambda rig: ground_channel(rig, self.part, channel, word == "ground", values)
        )

    def _put(self, text: str) -> None:
        if text in (_PUTS[0], _PUTS[1]):
            mount_in_box(self.document, self.part, self._corners(), text == _PUTS[1])
        elif text == _PUTS[2]:
            align_mount(self.document, self.part, GROUND)
        else:
            name = text.removeprefix("square to ")
            other = next(i for i, p in self.document.rig.parts.items() if p.name == name)
            align_mount(self.document, self.part, other)

    def _take_scale_out(self) -> None:
        self.edit("scale", lambda rig: without_scale(rig, self.part))

    def _go_home(self) -> None:
        self.document.send_home(self.document.channels_of(self.part))

    def _set_home(self) -> None:
        set_home(self.document)

    def _set_parent(self, rig: Rig, parent: PartId | None) -> Rig:
        """Another carrier; the part stays where it stands."""
        pose, entry = as_mounted(self.document), self._of(rig)
        old, new = pose.frame_of(entry.parent), pose.frame_of(parent)
        mount = frame_of(np.linalg.inv(new) @ old @ matrix(entry.mount))
        return set_parent(rig, self.part, parent, mount)

    def _place(self, rig: Rig, at_home: Frame) -> Rig:
        """The part, its joint with it, put so that its own frame stands somewhere at home."""
        entry = self._of(rig)
        moved = matrix(at_home) @ np.linalg.inv(matrix(stands_at(entry))) @ matrix(entry.mount)
        return place_part(rig, self.part, frame_of(moved))


def _frame_fields(
    word: str, name: str, get: Callable[[Rig], Frame], put: Callable[[Rig, Frame], Rig]
) -> Iterator[Field]:
    """Where a frame stands in the parent, to be typed: its place, and its turn."""

    def at(rig: Rig, place: Triple) -> Rig:
        return put(rig, replace(get(rig), at=place))

    def turned(rig: Rig, angles: Triple) -> Rig:
        return put(rig, replace(get(rig), turn=turn_of_angles(angles)))

    yield three(f"{word} at, {{m}}", "length", lambda rig: get(rig).at, at, "mount",
                f"{name.capitalize()} at")  # fmt: skip
    yield three("turned, °", "angle", lambda rig: angles_of_turn(get(rig).turn), turned, "mount",
                f"{name.capitalize()} turned")  # fmt: skip


def _along(repeat: Repeat | None) -> str:
    if repeat is None:
        return ""
    return repeat.path if repeat.along == "path" else repeat.along


def _axis(part: Part) -> str:
    return "x" if part.repeat is None else part.repeat.axis


def _joint_of_kind(kind: JointKind, present: Joint) -> Joint:
    """A joint of another kind, with what fits of the present one."""
    return Joint(kind, present.axis, lead=_USUAL_LEAD if kind == "screw" else 0.0)
