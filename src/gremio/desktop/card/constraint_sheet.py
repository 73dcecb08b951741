"""The Card of a constraint: what it gives, to what it keeps its part, and how much."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, cast, get_args

from msgspec.structs import replace

from gremio.core.edit.constraints import change_constraint, rename_constraint
from gremio.core.make.constraining import chain_of, keep_offset, keeps_something, snap, told_in
from gremio.core.make.releasing import switch
from gremio.core.make.volume import stretched_along
from gremio.core.quantity import show_short
from gremio.core.rig.channels import SCALES, key
from gremio.core.rig.constraints import (
    CONSTRAINTS,
    adds_to,
    constraint_words,
    numbers,
    target_name,
    targets_of,
    wrong_with,
)
from gremio.core.rig.ids import NOTHING, ChannelKey, ThingId
from gremio.core.rig.lengths import small_unit
from gremio.core.rig.model import (
    AnyConstraint,
    ConstantVolume,
    ConstraintKind,
    Kept,
    Reach,
    Rig,
    Target,
    Targeted,
    Upright,
    Way,
)
from gremio.core.rig.numbers import label
from gremio.core.solve.off_by import off_by
from gremio.core.solve.volume import leads_of
from gremio.desktop.actions import constraining
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import (
    Act,
    Amount,
    Field,
    Head,
    Menu,
    Number,
    Pick,
    Rule,
    Several,
    Thing,
    Title,
    Words,
    three,
)
from gremio.desktop.card.links import link_sections
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import short_channels
from gremio.desktop.theme.inks import Inks

_STATES = {"on": False, "off": True}
_GIVES = {"sets": False, "adds": True}
_STANDS = {"up along the normal": True, "as it is": False}
_UPRIGHT: dict[str, Upright] = {
    "left free": "none", "kept upright": "ground", "toward a part": "target",
}  # fmt: skip
_TOLD = {"metres": False, "share of its length": True}
_WAYS: dict[str, Way] = {way.replace("-", "−"): way for way in get_args(Way)}


class ConstraintSheet(FormSheet):
    """What is known of one constraint."""

    change = staticmethod(change_constraint)

    def __init__(self, document: Document, constraint: ThingId, inks: Inks) -> None:
        super().__init__(document, constraint, inks)
        entry = self.entry
        self.owner = entry.part
        leave = partial(constraining.leave_in_place, document, [constraint])
        home = partial(constraining.remove_and_go_home, document, constraint)
        name = Title(
            self.get("name"), lambda rig, new: rename_constraint(rig, constraint, new),
            [Act("Remove it, the part stays in place", leave),
             Act("Remove it, the part goes home", home)],
        )  # fmt: skip
        self.lay(name, Words(f"constraint, {constraint_words(document.rig, entry)}"))
        if wrong := wrong_with(document.rig, entry):
            drop = partial(constraining.drop_constraint, document, constraint)
            self.lay(Words(wrong), Act("Remove this constraint", drop, main=True))
            self.end()
            return
        self.lay(
            Act("Leave the part in place", leave, "It is plain placement then"),
            Act("Let the part go home", home, "Without this constraint"),
            Rule(),
            Pick("State", _STATES, self.get("off"), self._switch, "state"),
            self._gives(entry),
            self._numbers(entry),
            _SETTINGS[entry.kind](self),
            Words(self._held),
            self._ends(entry),
            self._channels(entry),
            link_sections(document, constraint),
        )
        self.end()
        self.take_pose()

    @property
    def entry(self) -> AnyConstraint:
        """The constraint as it is now."""
        return self.document.rig.constraints[self.thing]

    def pick(self, word: str, entries: dict[str, Any], field: str, name: str = "") -> Pick:
        """A choice of one of its settings."""
        return Pick(word, entries, self.get(field), self.set(field), name or word.lower(), name)

    # ── what is shown ──────────────────────────────────────────────

    def _gives(self, entry: AnyConstraint) -> Field | None:
        if not hasattr(entry, "adds"):
            return None
        pose = self.document.pose

        def put(rig: Rig, adds: bool) -> Rig:
            rig = self.set("adds")(rig, adds)
            return keep_offset(rig, self.thing, pose)

        return Pick("Gives", _GIVES, lambda rig: adds_to(rig.constraints[self.thing]), put,
                    "what it gives", "What it gives")  # fmt: skip

    def _numbers(self, entry: AnyConstraint) -> Iterator[Field]:
        for name in numbers(self.document.rig, entry):
            if not name.startswith("weight"):
                yield Number(name.capitalize(), key(self.thing, name), f"{entry.name} {name}")

    def axis(self, word: str) -> Pick:
        """Which axis of the part counts."""
        return self.pick(word, _WAYS, "axis", word)

    def aim_settings(self) -> Iterator[Field]:
        """Of an aim: the axis that points, and the second one."""
        rig, entry = self.document.rig, self.entry
        yield self.axis("Points with")
        yield self.pick("Second axis", _UPRIGHT, "upright", "Second axis")
        upright = self.get("upright")(rig)
        if upright != "none":
            yield self.pick("which is", _WAYS, "second", "Axis kept upright")
        if upright == "target":
            parts = {part.name: i for i, part in rig.parts.items() if i != entry.part}
            toward = self.set("toward")
            yield Pick(
                "toward", {"the ground": None, **parts},
                lambda rig: self.get("toward")(rig).on,
                lambda rig, part: toward(rig, Target(part)), "second axis", "Toward",
            )  # fmt: skip

    def seat_settings(self) -> Iterator[Field]:
        """Of a seat: whether it stands up, and on which axis."""
        yield self.pick("Stands", _STANDS, "stands", "Stands")
        if self.get("stands")(self.document.rig):
            yield self.axis("Stands on")

    def tether_settings(self) -> Iterator[Field]:
        """Of a tether: within, outside or at its distance."""
        yield self.pick("Kept", {word: word for word in get_args(Kept)}, "reach", "Reach")

    def path_settings(self) -> Iterator[Field]:
        """On a path: how the way is told, and for which speed it is banked."""
        yield Pick("Way in", _TOLD, self.get("by_share"),
                   lambda rig, share: told_in(rig, self.thing, share), "way",
                   "Way told in")  # fmt: skip
        yield Amount(
            "Banked, m/s", "length", self.get("banked_for"), self.set("banked_for"), "banking",
            "Banked for, m/s", bare=True,
            help="The speed at which its bends are banked so that nothing slides",
        )  # fmt: skip

    def volume_settings(self) -> Iterator[Field]:
        """Of what keeps its volume: along what it stretches; all that lead it, named."""
        entry = self.entry
        assert isinstance(entry, ConstantVolume)
        leads = leads_of(entry)
        if len(leads) == 1:
            yield Pick("Stretches along", {name[-1]: name for name in SCALES},
                       lambda rig: leads_of(cast(ConstantVolume, rig.constraints[self.thing]))[0],
                       lambda rig, name: stretched_along(rig, self.thing, name),
                       "what stretches", "Stretches along")  # fmt: skip
        else:
            names = " and ".join(leads) or "nothing"
            yield Words(f"Led by {names}: their product counts.")

    def chain_settings(self) -> Iterator[Field]:
        """Of a reach: its tip, the joints that may move and how stiff each is."""
        rig, entry = self.document.rig, self.entry
        assert isinstance(entry, Reach)
        yield three("Tip, m", "length", self.get("tip"), self.set("tip"), "tip", "Tip")
        yield Head("Joints that may move, by how stiff")
        for channel in map(ChannelKey, entry.channels):
            name = label(rig, channel)
            out = Act("−", partial(self._set_joint, channel, False), "Let it stand still",
                      f"Leave {name} out", narrow=True)  # fmt: skip
            yield Several(name, [self._stiffness(channel, name), out])
        others = {label(rig, c): c for c in chain_of(rig, entry.part) if c not in entry.channels}
        if others:
            words = "Let one more joint move…"
            yield Menu(words, list(others), lambda name: self._set_joint(others[name], True))

    def _stiffness(self, channel: ChannelKey, name: str) -> Amount:
        stiffness = self.get("stiffness")
        return Amount(
            "", "number", lambda rig: stiffness(rig).get(channel, 1.0),
            lambda rig, v: self.set("stiffness")(rig, {**stiffness(rig), channel: v}),
            "stiffness", f"Stiffness of {name}",
        )  # fmt: skip

    def _set_joint(self, channel: ChannelKey, may: bool) -> None:
        every = chain_of(self.document.rig, self.entry.part)
        kept = tuple(c for c in every if (c in self.entry.channels) != (c == channel))
        self.edit("joints" if may else "joint", lambda rig: self.set("channels")(rig, kept))

    def _channels(self, entry: AnyConstraint) -> Iterator[Field]:
        """Which channels it gives, and of those it could give which it does not."""
        can = CONSTRAINTS[entry.kind].gives
        if not can:
            return
        offers = [f"{'leave' if c in entry.channels else 'give'} {c}" for c in can]
        gist = short_channels(entry.channels)
        if isinstance(entry, Targeted) and keeps_something(entry):
            gist += ", keeping its place"
        yield Head("What it gives", gist, folded=True)
        menu = Menu("⋯", offers, self._set_channel, "Channels it gives", "One more, or one less")
        yield Words(short_channels(entry.channels), word="Channels")
        yield menu
        if not isinstance(entry, Targeted):
            return
        kept = "keeps its place to the target" if keeps_something(entry) else "snapped to it"
        yield Words(kept, word="Offset")
        yield Act("Keep what is between them now", self._keep, "Nothing moves")
        if keeps_something(entry):
            yield Act("Snap to the target", self._snap)

    def _ends(self, entry: AnyConstraint) -> Iterator[Field]:
        rig = self.document.rig
        part = rig.parts[entry.part]
        yield Head("Part")
        record = CONSTRAINTS[entry.kind]
        yield Thing(part.joint.kind, part.name, record.verb, entry.part)
        targets = targets_of(entry)
        if not record.most_targets:
            return
        yield Head("Targets" if len(targets) > 1 else "Target")
        for index, target in enumerate(targets):
            yield from self._target(index, target)
        if len(targets) < record.most_targets:
            yield Act("Add a target…", partial(self.action_wanted.emit, "tie.target"))
        if targets and targets[0].on is not None and not targets[0].path:
            swap = partial(constraining.swap_constraint, self.document, self.thing)
            yield Act("Swap part and target", swap)

    def _target(self, index: int, target: Target) -> Iterator[Field]:
        rig = self.document.rig
        symbol, thing = "fixed", target.on or NOTHING
        if target.path:
            symbol, thing = "path", target.path
        elif target.on is not None:
            symbol = rig.parts[target.on].joint.kind
        name = target_name(rig, target)
        yield Thing(symbol, name, "", thing)
        if len(targets_of(self.entry)) > 1:
            weight = f"weight {index + 1}"
            yield Number("Weight", key(self.thing, weight), f"{self.entry.name} {weight}")
            yield Act(f"Take {name} out", partial(self._take_out, index))
        if self.entry.kind in _AT_A_POINT and not target.path:
            yield three("At, {m}", "length", lambda rig: self._targets(rig)[index].at,
                        lambda rig, at: self._with_target(rig, index, at=at), "point",
                        f"Target {index + 1}")  # fmt: skip

    def _targets(self, rig: Rig) -> tuple[Target, ...]:
        return targets_of(rig.constraints[self.thing])

    def _with_target(self, rig: Rig, index: int, **fields: object) -> Rig:
        targets = list(self._targets(rig))
        targets[index] = replace(targets[index], **fields)
        return self.set("targets")(rig, tuple(targets))

    def _held(self) -> str:
        """How nearly the part stands as is wanted."""
        away, turned = off_by(self.document.pose, self.thing)
        told = []
        if away is not None and away > 1e-9:
            told.append(show_short(away, small_unit(self.document.rig)))
        if turned is not None and turned > 1e-9:
            told.append(show_short(turned, "deg"))
        words = f"The part is {' and '.join(told)} off." if told else "The part is as is wanted."
        return "" if away is None and turned is None else words

    # ── what hands do ──────────────────────────────────────────────

    def _switch(self, rig: Rig, off: bool) -> Rig:
        return switch(rig, self.thing, not off, self.document.settled())

    def _set_channel(self, text: str) -> None:
        word, channel = text.split(" ", 1)
        present = self.entry.channels
        given = tuple(
            c for c in CONSTRAINTS[self.entry.kind].gives if (c in present) != (c == channel)
        )
        self.edit(f"{word} {channel}", lambda rig: self.set("channels")(rig, given))

    def _take_out(self, index: int) -> None:
        targets = targets_of(self.entry)
        rest = (*targets[:index], *targets[index + 1 :])
        self.edit("targets", lambda rig: self.set("targets")(rig, rest))

    def _keep(self) -> None:
        pose = self.document.settled()
        self.edit("offset", lambda rig: keep_offset(rig, self.thing, pose))

    def _snap(self) -> None:
        self.edit("offset", lambda rig: snap(rig, self.thing))


def _none(sheet: ConstraintSheet) -> Iterator[Field]:
    del sheet
    yield from ()


# Kinds that keep to a point of their target.
_AT_A_POINT: tuple[ConstraintKind, ...] = ("pin", "aim", "tether", "reach")
# What only this kind has on its Card.
_SETTINGS: dict[ConstraintKind, Callable[[ConstraintSheet], Iterator[Field]]] = {
    "ride": _none,
    "pin": _none,
    "match": _none,
    "aim": ConstraintSheet.aim_settings,
    "tether": ConstraintSheet.tether_settings,
    "seat": ConstraintSheet.seat_settings,
    "run along": ConstraintSheet.path_settings,
    "constant volume": ConstraintSheet.volume_settings,
    "reach": ConstraintSheet.chain_settings,
}
