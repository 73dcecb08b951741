"""The Card of a strut: its bodies, the stroke used and left, and where it would fail."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from gremio.core.inspect.struts import told, use_in
from gremio.core.make.struts import change_strut, eyes, fitted, remove_strut
from gremio.core.mechanics.struts import lengths_for
from gremio.core.quantity import show_short
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    heading,
    link_button,
    number_field,
    rule,
    second,
    title_field,
)
from gremio.desktop.document import Document
from gremio.desktop.theme.inks import Inks


class StrutSheet(Sheet):
    """What is known of one strut."""

    def __init__(self, document: Document, strut: str, inks: Inks) -> None:
        super().__init__()
        self.document, self.strut = document, strut
        rig = document.rig
        entry = rig.struts[strut]
        self.add(title_field(entry.name, "Name", lambda name: self._change("name", name=name)))
        self.add(second("strut · its rod slides in its barrel, both eyes turn freely"))
        self.add(rule())
        self._length("Barrel", "barrel_length")
        self._length("Rod", "rod_length")
        self._length("Bore", "bore")
        self._add_use()
        self.add(heading("Between"))
        for part, _ in eyes(rig, entry):
            if part in rig.parts:
                show = partial(document.select, part)
                self.add(Slab(inks, rig.parts[part].joint.kind, rig.parts[part].name, "", show))
            else:
                self.add(second("the ground"))
        self.add(heading("Bodies"))
        for part in (entry.barrel, entry.rod):
            show = partial(document.select, part)
            self.add(Slab(inks, rig.parts[part].joint.kind, rig.parts[part].name, "", show))
        self.add(link_button("Remove this strut", self._remove, "With its barrel and rod"))
        self.end()
        self.take_pose()

    def _length(self, word: str, name: str) -> None:
        entry = self.document.rig.struts[self.strut]
        field = number_field(self.document, self, "length", f"{word} length")
        field.set_value(getattr(entry, name))
        field.committed.connect(lambda value: self._change(word.lower(), **{name: value}))
        self.row(word, field)

    def _add_use(self) -> None:
        """The stroke used and left over the whole travel, and lengths that would do."""
        rig = self.document.rig
        use = use_in(self.document.program, self.strut)
        self.add(heading("Stroke"))
        self.now = second("")
        self.add(self.now)
        stroke, used = show_short(use.stroke, "m"), show_short(use.used, "m")
        self.add(second(f"Its stroke is {stroke}; the machine uses {used}."))
        spare = use.shortest - use.least, use.most - use.longest
        if use.past is None:
            self.add(
                second(
                    f"left: {show_short(spare[0], 'm')} before the closed end, "
                    f"{show_short(spare[1], 'm')} before it comes apart"
                )
            )
            return
        self.add(second(f"It {told(rig, use)}."))
        lengths = lengths_for(use.shortest, use.longest)
        if lengths is None:
            self.add(second("No one barrel and rod would do: move an end."))
            return
        barrel, rod = (show_short(length, "m") for length in lengths)
        self.add(second(f"A barrel of {barrel} and a rod of {rod} would do."))
        self.add(link_button("Let them be so", self._fit, "Bodies for the whole travel"))

    def take_pose(self) -> None:
        """How long it is now."""
        rig = self.document.rig
        entry = rig.struts.get(self.strut)
        if entry is not None:
            out = self.document.pose.at(f"{entry.rod} move x")
            apart = rig.parts[entry.rod].mount.at[0] + out
            self.now.setText(f"{show_short(apart, 'm')} from eye to eye now")

    def _fit(self) -> None:
        name = self.document.rig.struts[self.strut].name
        self.document.edit(f"fit {name}", lambda rig: fitted(rig, self.strut))

    def _change(self, what: str, **fields: object) -> None:
        entry = self.document.rig.struts[self.strut]
        changed = replace(entry, **fields)
        if not self.document.edit(
            f"{what} of {entry.name}", lambda rig: change_strut(rig, self.strut, changed)
        ):
            self.document.selection_changed.emit()

    def _remove(self) -> None:
        name = self.document.rig.struts[self.strut].name
        self.document.edit(f"remove {name}", lambda rig: remove_strut(rig, self.strut))
