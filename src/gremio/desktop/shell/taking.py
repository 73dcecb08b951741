"""What is otherwise elsewhere, offered on the Card: in another rig, in a kit, in a later model."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QWidget

from gremio.core.files.kits import Later, brought_up
from gremio.core.files.revising import Revision, revisions
from gremio.core.files.taking_up import Mounts, revised
from gremio.core.inspect.comparing import Difference, How, compare
from gremio.core.inspect.merging import same_things, taken_over
from gremio.core.problem import counted_words
from gremio.core.rig.ids import ThingId, thing
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import Geometry
from gremio.core.surfaces.models import Model
from gremio.desktop.card.card import Card
from gremio.desktop.card.taking_sheet import Offered, TakingSheet
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import choice

_SAME = "Both say the same."
_OF_RIGS: dict[How, str] = {
    "new": "Only there",
    "gone": "Only here",
    "renamed": "Called otherwise there",
    "changed": "Otherwise there",
}
_OF_KITS: dict[How, str] = {
    "new": "New in the kit",
    "gone": "Not in the kit any more",
    "renamed": "Under another name",
    "changed": "Otherwise",
}
_OF_MODELS = {
    "new": "New in the model",
    "gone": "Gone from the model",
    "moved": "Moved",
    "reshaped": "Of another shape",
    "renamed": "Under another name",
}
_JOINTS: dict[str, Mounts] = {"go along": "follow", "stay where they are": "stay"}
_MEASURES: dict[str, Mounts] = {"go to the nearest of its kind": "follow", "stay": "stay"}


class Taking:
    """Shows what is otherwise, and takes of it what is ticked, as one step."""

    def __init__(self, document: Document, card: Card) -> None:
        self.document, self.card = document, card

    # ── another rig ────────────────────────────────────────────────

    def of_rig(self, name: str, other: Rig) -> None:
        """Show what another rig says otherwise than the open one."""
        here = self.document.rig
        found = compare(here, other)
        ids = same_things(here, other, found)
        offered = [
            _offered(one, _OF_RIGS, ticked=False, here=ids.get(thing(one.thing))) for one in found
        ]
        words = f"What {name} says otherwise than the open rig. Ticked, it is taken from there."

        def take(ticked: list[int]) -> None:
            chosen = [found[i] for i in ticked]
            told: list[str] = []

            def change(rig: Rig) -> Rig:
                geometry = self.document.geometry
                made = taken_over(rig, other, chosen, ids, geometry=geometry)
                told.extend(made.told)
                return made.rig

            self._done(f"take over from {name}", chosen, change, told)

        self._show(f"Compared with {name}", words if found else _SAME, offered, take)

    # ── a kit ──────────────────────────────────────────────────────

    def of_kit(self, name: str, found: Later) -> None:
        """Show what is otherwise in a kit than when it was put in."""
        offered = [
            _offered(change.difference, _OF_KITS, ticked=not change.here,
                     here=found.ids.get(thing(change.difference.thing)),
                     told="It was changed in this rig too." if change.here else "")
            for change in found.changes
        ]  # fmt: skip
        words = f"{name} has changed since it was put in. What is not ticked is left as it is."

        def take(ticked: list[int]) -> None:
            chosen = [found.changes[i].difference for i in ticked]

            def change(rig: Rig) -> Rig:
                return brought_up(rig, found, chosen, geometry=self.document.geometry)

            self._done(f"bring {name} up to its kit", chosen, change, [], nothing=True)

        same = f"{name} is in this rig as its file has it: nothing that counts is otherwise."
        self._show(f"The kit {name}", words if offered else same, offered, take)

    # ── a later model ──────────────────────────────────────────────

    def of_model(self, source: ThingId, model: Model, before: Model | None) -> bool:
        """Show what is otherwise in a later model; whether there is anything."""
        found = revisions(self.document.rig, source, model, before)
        name = model.path.name
        if not found.found and not found.told:
            return False
        offered = [self._of_model(one, model) for one in found.found]
        words = " ".join(
            [f"What {name} has otherwise. What is not ticked is left as it is in the rig.",
             *found.told]
        )  # fmt: skip
        # What joints and measures do, as it is chosen.
        mounts: list[Mounts] = ["follow", "follow"]

        def take(ticked: list[int]) -> None:
            chosen = [found.found[i] for i in ticked]
            told: list[str] = []

            def change(rig: Rig) -> Rig:
                made, said = revised(
                    rig, source, model, chosen, before=before, mounts=mounts[0], anchors=mounts[1]
                )
                told.extend(said)
                return made

            self._done(f"take up {name}", chosen, change, told, nothing=True)

        def set_at(index: int, of: dict[str, Mounts]) -> Callable[[str], None]:
            def put(text: str) -> None:
                mounts[index] = of[text]

            return put

        asks: list[tuple[str, QWidget]] = []
        if any(one.how == "moved" for one in found.found):
            what = "What joints do where a part is elsewhere"
            asks.append(("Joints", choice(list(_JOINTS), next(iter(_JOINTS)), what,
                                          set_at(0, _JOINTS))))  # fmt: skip
        if any(one.how == "reshaped" for one in found.found) and self.document.rig.measures:
            what = "What measures do on another shape"
            asks.append(("Measures", choice(list(_MEASURES), next(iter(_MEASURES)), what,
                                            set_at(1, _MEASURES))))  # fmt: skip
        self.card.show_instead(self._sheet(f"{name} has changed", words, offered, take, asks))
        return True

    def _of_model(self, one: Revision, model: Model) -> Offered:
        must = "The older model is not there any more, so this can't be left." if one.must else ""
        words = one.words.strip("()")
        return Offered(
            _OF_MODELS[one.how], one.name, words, one.part, must=one.must, told=must,
            picture=self._shape(one, model),
        )  # fmt: skip

    def _shape(self, one: Revision, model: Model) -> Geometry | None:
        """What a part looks like: as it is in the later model; what is gone, as it was."""
        if one.node >= 0:
            pieces = model.nodes[one.node].pieces
            return pieces[0].geometry if pieces else None
        part = self.document.rig.parts.get(one.part)
        solids = [shape.solid for shape in part.shapes] if part is not None else []
        return self.document.geometry(solids[0]) if solids else None

    # ── the Card ───────────────────────────────────────────────────

    def _sheet(
        self,
        head: str,
        words: str,
        offered: Sequence[Offered],
        take: Callable[[list[int]], object],
        asks: Sequence[tuple[str, QWidget]] = (),
    ) -> TakingSheet:
        return TakingSheet(
            self.document, self.card.inks, head, words, offered, take, self.card.leave, asks=asks
        )

    def _show(
        self, head: str, words: str, offered: Sequence[Offered], take: Callable[[list[int]], object]
    ) -> None:
        self.card.show_instead(self._sheet(head, words, offered, take))

    def _done(
        self,
        what: str,
        chosen: Sequence[Difference | Revision],
        change: Callable[[Rig], Rig],
        told: list[str],
        *,
        nothing: bool = False,
    ) -> None:
        """Make the step. nothing: to take nothing is a choice too, and is kept."""
        if not chosen and not nothing:
            self.document.said.emit("Nothing is ticked, so nothing is taken. Tick some of it.")
            return
        if self.document.edit(what, change):
            self.document.settle()
            self.card.leave()
            count = counted_words(len(chosen), "change")
            was = "is" if len(chosen) == 1 else "are"
            taken = f"{count} {was} taken." if chosen else "All is left as it is in the rig."
            self.document.said.emit(" ".join([taken, *told]))


def _offered(
    one: Difference, heads: dict[How, str], *, ticked: bool, here: ThingId | None, told: str = ""
) -> Offered:
    """A difference, to be ticked. here: id of the same thing in the rig, if it is there."""
    known = thing(one.thing) if one.how == "gone" else here
    name = f"{one.word} {one.name}".strip() or "the rig"
    words = ""
    if one.how == "renamed":
        name, words = f"{one.word} {one.before}", f"is called {one.after} there"
    elif one.how == "changed":
        words = f"{one.aspect}: {one.before or 'none'} → {one.after or 'none'}"
    return Offered(heads[one.how], name, words, known or thing(""), ticked=ticked, told=told)
