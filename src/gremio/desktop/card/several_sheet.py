"""The Card of several parts: what is done to all of them is one step."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from gremio.core.edit.controls import all_home
from gremio.core.edit.parts import descendants
from gremio.core.edit.prepare import axis_turned
from gremio.core.make.several import led_by, mounted_on, with_control, with_joints, with_stops
from gremio.core.problem import counted_words, listed
from gremio.core.rig.channels import JOINT_KINDS, channel_kind, has_axis, key, main_channel
from gremio.core.rig.ids import ChannelKey, PartId
from gremio.core.rig.model import Joint, Rig, Stops
from gremio.core.rig.numbers import shown_unit
from gremio.core.solve.evaluate import evaluate
from gremio.desktop.actions.hints import with_key
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import Sheet, choice, menu_button, rule, second, title, verb
from gremio.desktop.fields.quantity_field import OptionalField
from gremio.desktop.theme.inks import Inks

_MIXED = "different"
# So many names are told.
_TOLD = 6


class SeveralSheet(Sheet):
    """What is known of several parts, and done to them."""

    def __init__(self, document: Document, inks: Inks) -> None:
        super().__init__()
        self.document, self.inks = document, inks
        self.parts = document.chosen_parts
        rig = document.rig
        self.words = counted_words(len(self.parts), "part")
        self.add(title(self.words))
        names = [rig.parts[part].name for part in self.parts]
        rest = [f"{len(names) - _TOLD} more"] if len(names) > _TOLD else []
        self.add(second(listed([*names[:_TOLD], *rest])))
        self._verbs()
        self.add(rule())
        self._joint()
        self._stops()
        carried = {one for part in self.parts for one in (part, *descendants(rig, part))}
        self._carriers = {"the ground": None} | {
            part.name: i for i, part in rig.parts.items() if i not in carried
        }
        parents = {rig.parts[part].parent for part in self.parts}
        present = next((n for n, i in self._carriers.items() if {i} == parents), _MIXED)
        shown = [*self._carriers] if present != _MIXED else [_MIXED, *self._carriers]
        self.row("On", choice(shown, present, "Mounted on", self._mount))
        self.end()

    def _edit(self, what: str, change: Callable[[Rig], Rig]) -> None:
        self.document.edit(f"{what} of {self.words}", change)
        self.wants_anew()

    def _verbs(self) -> None:
        rig, act = self.document.rig, self.action_wanted.emit
        self.add(verb("Control", self._control, "One control that leads all of them"))
        leads = {c.name: partial(self._lead, ChannelKey(i)) for i, c in rig.controls.items()}
        if leads:
            self.add(menu_button("Led by", "Led by", leads, "Let a control lead all of them"))
        if len(self.parts) == 2:
            self.add(verb("Cylinder", self._cylinder, "Barrel and rod: slide, stops, both pins"))
        self.add(verb("Hide", partial(act, "bench.hide"), with_key("Leave out", "bench.hide")))
        self.add(
            verb("Remove", partial(act, "edit.remove"), with_key("All of them", "edit.remove"))
        )
        if len(self.parts) == 2:
            tip = "A part, and a copy of it where it comes to: the joint between, and its stops"
            self.add(verb("Joint from both poses", self._joint_from_both, tip))
        self._repeats()
        name = rig.parts[self.parts[-1]].name
        tip = f"{name} moves either way until it touches one of the others"
        self.add(verb("Stops where it touches", partial(act, "part.touch"), tip))

    def _repeats(self) -> None:
        """What two repeats can be to one another."""
        parts = self.document.rig.parts
        repeated = [part for part in self.parts if parts[part].repeat is not None]
        if len(self.parts) != 2 or not repeated:
            return
        lead = repeated[0]
        (follower,) = (part for part in self.parts if part != lead)
        names = parts[lead].name, parts[follower].name
        step = partial(self._in_step, lead, follower)
        tip = f"As many of {names[1]} as of {names[0]}, and as far apart"
        self.add(verb("Keep in step", step, tip))
        between = partial(self._midway, lead, follower)
        tip = f"{names[1]} in each gap of {names[0]}, whatever its count and pitch"
        self.add(verb("Midway between", between, tip))

    def _joint(self) -> None:
        joints = {self.document.rig.parts[part].joint for part in self.parts}
        kinds = {kind.capitalize(): kind for kind in JOINT_KINDS}
        (first, *others) = joints
        same = not others
        present = first.kind.capitalize() if len({j.kind for j in joints}) == 1 else _MIXED
        offered = [*kinds] if present != _MIXED else [_MIXED, *kinds]
        fields = [choice(offered, present, "Joint", lambda text: self._set_kind(kinds.get(text)))]
        if same and has_axis(first.kind):
            about = "along" if first.kind == "slide" else "about"
            axes = {f"{about} {axis}": axis for axis in "xyz"}
            now = f"{about} {first.axis}"
            fields.append(choice([*axes], now, "Axis", lambda t: self._set_axis(axes[t])))
        self.row("Joint", *fields)
        if all(has_axis(joint.kind) for joint in joints):
            self.add(verb("⇄", self._turn_round, "Let all of them go the other way"))

    def _stops(self) -> None:
        """The stops of what all can do, where all can do something of one kind."""
        rig = self.document.rig
        mains = {part: main_channel(rig.parts[part].joint) for part in self.parts}
        if not all(mains.values()) or len({channel_kind(c) for c in mains.values()}) > 1:
            return
        first = self.parts[-1]
        unit = shown_unit(rig, key(first, mains[first]))
        fields = []
        for end in ("low", "high"):
            field = OptionalField(channel_kind(mains[first]), unit, f"{end.capitalize()} stop")
            field.setPlaceholderText("none")
            ends = {
                getattr(rig.parts[part].stops.get(mains[part], Stops()), end) for part in self.parts
            }
            if len(ends) == 1:
                field.set_value(ends.pop())
            else:
                field.setPlaceholderText(_MIXED)
            field.refused.connect(self.document.said)
            field.committed.connect(partial(self._set_stop, end))
            field.cleared.connect(partial(self._set_stop, end, None))
            fields.append(field)
        self.row("Stops", *fields)

    # ── what hands do ──────────────────────────────────────────────

    def _set_kind(self, kind: str | None) -> None:
        if kind is None:
            return
        axis = self.document.rig.parts[self.parts[-1]].joint.axis
        joint = Joint(kind, axis, lead=0.004 if kind == "screw" else 0.0)  # type: ignore[arg-type]
        self._put_joint(joint)

    def _put_joint(self, joint: Joint) -> None:
        pose, geometry = self.document.settled(), self.document.geometry
        self._edit(
            "joint", lambda rig: with_joints(rig, self.parts, joint, pose, geometry=geometry)
        )

    def _set_axis(self, axis: str) -> None:
        old = self.document.rig.parts[self.parts[-1]].joint
        self._put_joint(Joint(old.kind, axis, old.lead))  # type: ignore[arg-type]

    def _turn_round(self) -> None:
        def change(rig: Rig) -> Rig:
            for part in self.parts:
                rig = axis_turned(rig, part)
            return rig

        self._edit("axes", change)

    def _set_stop(self, end: str, value: float | None) -> None:
        self._edit(f"{end} stop", lambda rig: with_stops(rig, self.parts, end, value))

    def _mount(self, text: str) -> None:
        if text == _MIXED:
            return
        parent: PartId | None = self._carriers[text]
        pose = self.document.settled()
        self._edit("mount", lambda rig: mounted_on(rig, self.parts, parent, pose))

    def _lead(self, lead: ChannelKey) -> None:
        document = self.document
        self._edit(
            "lead",
            lambda rig: led_by(
                rig, self.parts, lead, document.settled(), geometry=document.geometry
            ),
        )

    def _in_step(self, lead: PartId, follower: PartId) -> None:
        from gremio.core.make.in_step import keep_in_step

        document = self.document
        words = " and ".join(document.rig.parts[part].name for part in (follower, lead))
        home = evaluate(document.program, all_home(document.rig).at).frame(0)
        if document.edit(
            f"keep {words} in step", lambda rig: keep_in_step(rig, lead, follower, home)
        ):
            document.choose([follower])

    def _midway(self, lead: PartId, follower: PartId) -> None:
        from gremio.core.make.in_step import midway_between

        document = self.document
        names = [document.rig.parts[part].name for part in (follower, lead)]
        home = evaluate(document.program, all_home(document.rig).at).frame(0)
        if document.edit(
            f"put {names[0]} midway between {names[1]}",
            lambda rig: midway_between(rig, lead, follower, home, geometry=document.geometry),
        ):
            document.choose([follower])

    def _cylinder(self) -> None:
        from gremio.core.make.cylinders import make_cylinder
        from gremio.desktop.actions.closing import tell_strut

        document, (one, two) = self.document, self.parts
        made = document.make(
            f"make a cylinder of {self.words}",
            lambda rig: make_cylinder(rig, one, two, geometry=document.geometry),
        )
        if made:
            tell_strut(document)

    def _joint_from_both(self) -> None:
        from gremio.core.make.from_copies import joint_from_copies, screw_words

        document, (part, copy) = self.document, self.parts
        names = [document.rig.parts[one].name for one in self.parts]
        told = ""

        def change(rig: Rig) -> tuple[Rig, PartId]:
            nonlocal told
            rig, screw = joint_from_copies(rig, part, copy, geometry=document.geometry)
            told = screw_words(screw)
            return rig, part

        if document.make(f"joint of {names[0]} from two poses", change):
            document.said.emit(
                f"{names[0]} {told} to where {names[1]} stood, and stops there; the copy is taken "
                "out."
            )

    def _control(self) -> None:
        document, parts = self.document, self.parts
        made = document.make(
            f"make a control of {self.words}",
            lambda rig: with_control(rig, parts, document.settled(), geometry=document.geometry),
        )
        if made:
            name = document.rig.controls[document.selected].name
            document.said.emit(f"{name} leads {self.words}.")
