"""The Card of a constraint: what it ties to what, how much, and which way."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtWidgets import QComboBox

from gremio.core.make.constraining import (
    chain_of,
    keep_offset,
    keeps_something,
    snap,
    told_in,
)
from gremio.core.quantity import show_short
from gremio.core.rig.channels import channel_kind, channels_of, label, shown_unit, split
from gremio.core.rig.constraints import (
    CAN_GIVE,
    MOST_TARGETS,
    VERBS,
    constraint_words,
    target_name,
    wrong_with,
)
from gremio.core.rig.edit.constraints import change_constraint, rename_constraint
from gremio.core.rig.model import Constraint, Reach, Rig, Target, Upright, Way
from gremio.core.solve.wants import off_by
from gremio.desktop import constraining
from gremio.desktop.card.links import ADD_TARGET, add_link_sections
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
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
from gremio.desktop.copying import copying_menu
from gremio.desktop.document import Document, Edit
from gremio.desktop.fields import QuantityField
from gremio.desktop.theme.inks import Inks

_STATES = ("on", "off")
_DOES = ("sets where it is", "adds to where it is")
_UPRIGHT = {"none": "left free", "ground": "kept upright", "target": "toward a part"}


class ConstraintSheet(Sheet):
    """What is known of one constraint. The sheet asks for a target by an action of the window."""

    def __init__(self, document: Document, constraint: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.constraint, self.inks = document, constraint, inks
        self._numbers: dict[str, QuantityField] = {}
        entry = document.rig.constraints[constraint]
        self.add(title_field(entry.name, "Name", self._rename))
        self.add(second(f"constraint · {constraint_words(document.rig, entry)}"))
        self.add(rule())
        if wrong := wrong_with(document.rig, entry):
            self.add(second(wrong))
            drop = partial(constraining.drop_constraint, document, constraint)
            self.add(link_button("Remove this constraint", drop))
            self.end()
            return
        state = choice(_STATES, _STATES[entry.off], "State", self._switch)
        does = choice(_DOES, _DOES[entry.adds], "What it does", self._set_adds)
        self.row("It is", state)
        if entry.kind not in ("constant volume", "reach"):
            self.row("It", does)
        self._add_numbers()
        self._add_settings(entry)
        if entry.kind == "reach":
            self._add_chain(entry)
        else:
            self._add_channels(entry)
        self.held = second("")
        self.add(self.held)
        self._add_ends(entry)
        add_link_sections(self, document, constraint, inks)
        self._add_leaving()
        self.end()
        self.take_pose()

    @property
    def entry(self) -> Constraint:
        """The constraint as it is now."""
        return self.document.rig.constraints[self.constraint]

    # ── what is shown ──────────────────────────────────────────────

    def _add_numbers(self) -> None:
        for channel in channels_of(self.document.rig, self.constraint):
            name = split(channel)[1]
            if name.startswith("weight"):
                continue
            self.row(name.capitalize(), self._number(channel))

    def _number(self, channel: str) -> QuantityField:
        name = split(channel)[1]
        field = number_field(self.document, self, channel_kind(name), f"{self.entry.name} {name}")
        field.unit = shown_unit(self.document.rig, channel)
        field.committed.connect(lambda value: self._move(channel, value))
        field.offer = copying_menu(self.document, channel)
        self._numbers[channel] = field
        return field

    def _add_settings(self, entry: Constraint) -> None:
        """What only this kind has."""
        if entry.kind in ("aim", "seat"):
            word = "Points with" if entry.kind == "aim" else "Stands on"
            axes = [_way_word(way) for way in get_args(Way)]
            box = choice(axes, _way_word(entry.axis), word, lambda t: self._set_way("axis", t))
            if entry.kind == "seat":
                stands = choice(("stands up", "keeps its turn"),
                                "stands up" if entry.stands else "keeps its turn", "Stands",
                                self._set_stands)  # fmt: skip
                self.row("It", stands)
            if entry.kind == "aim" or entry.stands:
                self.row(word, box)
        if entry.kind == "aim":
            words = choice(tuple(_UPRIGHT.values()), _UPRIGHT[entry.upright], "Second axis",
                           self._set_upright)  # fmt: skip
            axes = [_way_word(way) for way in get_args(Way)]
            second_axis = choice(axes, _way_word(entry.second), "Axis kept upright",
                                 lambda t: self._set_way("second", t))  # fmt: skip
            self.row("Second axis", words)
            if entry.upright != "none":
                self.row("which is", second_axis)
            if entry.upright == "target":
                self.row("toward", self._part_choice(entry.toward.on, "Toward", self._set_toward))
        if entry.kind == "tether":
            reach = choice(get_args(Reach), entry.reach, "Reach", self._set_reach)
            self.row("Kept", reach)
        if entry.kind == "follow path":
            told = choice(("metres", "share of its length"),
                          "share of its length" if entry.by_share else "metres", "Way told in",
                          self._set_share)  # fmt: skip
            self.row("Way in", told)
            banked = number_field(self.document, self, "length", "Banked for, m/s")
            banked.bare = True
            banked.set_value(entry.banked_for)
            banked.setToolTip("The speed at which its bends are banked so that nothing slides")
            banked.committed.connect(lambda v: self._change("banking", banked_for=v))
            self.row("Banked, m/s", banked)

    def _add_channels(self, entry: Constraint) -> None:
        """Which channels it gives, and of those it could give which it does not."""
        offers = [f"{'leave' if c in entry.channels else 'give'} {c}" for c in CAN_GIVE[entry.kind]]
        self.row("Gives", second(short_channels(entry.channels)))
        self.row("", menu_button("One more, or one less…", "Channels it gives", offers,
                                 self._set_channel))  # fmt: skip
        if entry.kind == "constant volume":
            return
        kept = "keeps its place to the target" if keeps_something(entry) else "snapped to it"
        self.row("Offset", second(kept))
        self.add(link_button("Keep what is between them now", self._keep, "Nothing moves"))
        if keeps_something(entry):
            self.add(link_button("Snap to the target", self._snap))

    def _add_chain(self, entry: Constraint) -> None:
        """The joints that may move, how stiff each is, and those that may not."""
        rig = self.document.rig
        self.row("Tip, m", *(self._tip(axis) for axis in range(3)))
        self.add(heading("Joints that may move, by how stiff"))
        for channel in entry.channels:
            field = number_field(
                self.document, self, "number", f"Stiffness of {label(rig, channel)}"
            )
            field.set_value(entry.stiffness.get(channel, 1.0))
            field.committed.connect(lambda value, c=channel: self._set_stiffness(c, value))
            out = link_button("−", partial(self._set_joint, channel, False), "Let it stand still")
            out.setAccessibleName(f"Leave {label(rig, channel)} out")
            out.setFixedWidth(20)
            self.row(label(rig, channel), field, out)
        others = {label(rig, c): c for c in chain_of(rig, entry.part) if c not in entry.channels}
        if others:
            self.add(menu_button("Let one more joint move…", "Let one more joint move…",
                                 list(others),
                                 lambda name: self._set_joint(others[name], True)))  # fmt: skip

    def _tip(self, axis: int) -> QuantityField:
        field = narrow_field(self.document, self, "length", f"Tip {'xyz'[axis]}")
        field.set_value(self.entry.tip[axis])

        def typed(value: float) -> None:
            tip = list(self.entry.tip)
            tip[axis] = value
            self._change("tip", tip=tuple(tip))

        field.committed.connect(typed)
        return field

    def _set_stiffness(self, channel: str, value: float) -> None:
        self._change("stiffness", stiffness={**self.entry.stiffness, channel: value})

    def _set_joint(self, channel: str, may: bool) -> None:
        every = chain_of(self.document.rig, self.entry.part)
        kept = [c for c in every if (c in self.entry.channels) != (c == channel)]
        self._change("joints" if may else "joint", channels=tuple(kept))

    def _add_ends(self, entry: Constraint) -> None:
        rig = self.document.rig
        self.add(heading("Part"))
        part = rig.parts[entry.part]
        show = partial(self.document.select, entry.part)
        self.add(Slab(self.inks, part.joint.kind, part.name, VERBS[entry.kind], show))
        if entry.kind == "constant volume":
            return
        self.add(heading("Targets" if len(entry.targets) > 1 else "Target"))
        for index, target in enumerate(entry.targets):
            self._add_target(index, target)
        if len(entry.targets) < MOST_TARGETS.get(entry.kind, 99):
            self.add(link_button("Add a target…", partial(self.action_wanted.emit, ADD_TARGET)))
        if entry.targets and entry.targets[0].on is not None and not entry.targets[0].path:
            swap = partial(constraining.swap_constraint, self.document, self.constraint)
            self.add(link_button("Swap part and target", swap))

    def _add_target(self, index: int, target: Target) -> None:
        rig = self.document.rig
        symbol, thing = "fixed", target.on or ""
        if target.path:
            symbol, thing = "path", target.path
        elif target.on is not None:
            symbol = rig.parts[target.on].joint.kind
        show = partial(self.document.select, thing)
        self.add(Slab(self.inks, symbol, target_name(rig, target), "", show))
        entry = self.entry
        if len(entry.targets) > 1:
            channel = f"{self.constraint} weight {index + 1}"
            self.row("Weight", self._number(channel))
            self.add(link_button(f"Take {target_name(rig, target)} out",
                                 lambda: self._take_out(index)))  # fmt: skip
        if entry.kind in ("pin", "aim", "tether", "reach") and not target.path:
            self.row("At, m", *(self._point(index, axis) for axis in range(3)))

    def _point(self, index: int, axis: int) -> QuantityField:
        field = narrow_field(self.document, self, "length", f"Target {index + 1} {'xyz'[axis]}")
        field.set_value(self.entry.targets[index].at[axis])
        field.committed.connect(lambda value: self._set_point(index, axis, value))
        return field

    def _add_leaving(self) -> None:
        self.add(heading("Take it away"))
        leave = partial(constraining.leave_in_place, self.document, [self.constraint])
        home = partial(constraining.remove_and_go_home, self.document, self.constraint)
        self.add(link_button("Leave the part in place", leave, "It is plain placement then"))
        self.add(link_button("Let the part go home", home))

    def _part_choice(
        self, present: str | None, what: str, chosen: Callable[[str | None], None]
    ) -> QComboBox:
        rig, part = self.document.rig, self.entry.part
        names = {other.name: i for i, other in rig.parts.items() if i != part}
        shown = rig.parts[present].name if present is not None else "the ground"
        return choice(["the ground", *names], shown, what, lambda text: chosen(names.get(text)))

    def take_pose(self) -> None:
        """Show the numbers, and how nearly the part stands as is wanted."""
        pose = self.document.pose
        for channel, field in self._numbers.items():
            field.set_value(pose.at(channel))
        if not hasattr(self, "held"):
            return
        away, turned = off_by(pose, self.constraint)
        told = []
        if away is not None and away > 1e-9:
            told.append(show_short(away, "mm"))
        if turned is not None and turned > 1e-9:
            told.append(show_short(turned, "deg"))
        words = f"The part is {' and '.join(told)} off." if told else "The part is as is wanted."
        self.held.setText("" if away is None and turned is None else words)

    # ── what hands do ──────────────────────────────────────────────

    def _edit(self, what: str, change: Edit) -> None:
        if not self.document.edit(f"{what} of {self.entry.name}", change):
            self.document.selection_changed.emit()

    def _change(self, what: str, **fields: object) -> None:
        changed = replace(self.entry, **fields)
        self._edit(what, lambda rig: change_constraint(rig, self.constraint, changed))

    def _rename(self, name: str) -> None:
        self._edit("name", lambda rig: rename_constraint(rig, self.constraint, name))

    def _switch(self, text: str) -> None:
        if self.entry.off == (text == _STATES[0]):
            constraining.switch_constraint(self.document, self.constraint)

    def _set_adds(self, text: str) -> None:
        pose = self.document.pose
        changed = replace(self.entry, adds=text == _DOES[1])

        def change(rig: Rig) -> Rig:
            rig = change_constraint(rig, self.constraint, changed)
            return keep_offset(rig, self.constraint, pose, self.document.geometry)

        self._edit("what it does", change)

    def _move(self, channel: str, value: float) -> None:
        self.document.move(channel, value)
        self.document.settle()
        self.take_pose()

    def _set_way(self, field: str, text: str) -> None:
        way = next(w for w in get_args(Way) if _way_word(w) == text)
        self._change("axis", **{field: way})

    def _set_stands(self, text: str) -> None:
        self._change("standing", stands=text == "stands up")

    def _set_upright(self, text: str) -> None:
        upright = next(u for u in get_args(Upright) if _UPRIGHT[u] == text)
        self._change("second axis", upright=upright)

    def _set_toward(self, part: str | None) -> None:
        self._change("second axis", toward=Target(part))

    def _set_reach(self, text: str) -> None:
        self._change("reach", reach=text)

    def _set_share(self, text: str) -> None:
        self._edit("way", lambda rig: told_in(rig, self.constraint, text != "metres"))

    def _set_channel(self, text: str) -> None:
        word, channel = text.split(" ", 1)
        present = self.entry.channels
        given = [c for c in CAN_GIVE[self.entry.kind]
                 if (c in present) != (c == channel)]  # fmt: skip
        self._change(f"{word} {channel}", channels=tuple(given))

    def _set_point(self, index: int, axis: int, value: float) -> None:
        targets = list(self.entry.targets)
        at = list(targets[index].at)
        at[axis] = value
        targets[index] = replace(targets[index], at=tuple(at))
        self._change("point", targets=tuple(targets))

    def _take_out(self, index: int) -> None:
        targets = self.entry.targets
        self._change("targets", targets=(*targets[:index], *targets[index + 1 :]))

    def _keep(self) -> None:
        pose = self.document.pose
        self._edit("offset", lambda rig: keep_offset(rig, self.constraint, pose,
                                                     self.document.geometry))  # fmt: skip

    def _snap(self) -> None:
        self._edit("offset", lambda rig: snap(rig, self.constraint))


def _way_word(way: str) -> str:
    return way.replace("-", "−")
