"""The Card of a strut: its bodies, the stroke used and left, and where it would fail."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from gremio.core.inspect.struts import bodies_told, told, use_in
from gremio.core.make.struts import (
    body_lengths,
    change_strut,
    eyes,
    fitted,
    remove_strut,
    with_bodies,
    with_shape_of,
)
from gremio.core.mechanics.struts import fewest_bodies
from gremio.core.quantity import show_short
from gremio.desktop.card.rows import (
    Sheet,
    Slab,
    heading,
    link_button,
    menu_button,
    number_field,
    rule,
    second,
    title_field,
)
from gremio.desktop.document import Document
from gremio.desktop.fields import QuantityField
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
        for index, length in enumerate(entry.stage_lengths):
            self.row(f"Stage {index + 1}", self._stage(index, length))
        self._length("Rod", "rod_length")
        self._length("Bore", "bore")
        self.add(link_button("One more stage", self._add_stage, "A tube between barrel and rod"))
        if entry.stages:
            self.add(link_button("One stage less", self._drop_stage))
        self._add_use()
        self.add(heading("Between"))
        for part, _ in eyes(rig, entry):
            if part in rig.parts:
                show = partial(document.select, part)
                self.add(Slab(inks, rig.parts[part].joint.kind, rig.parts[part].name, "", show))
            else:
                self.add(second("the ground"))
        self.add(heading("Bodies"))
        carried = {part.parent for part in rig.parts.values()}
        ends = {part for part, _ in eyes(rig, entry)}
        spare = {
            part.name: i for i, part in rig.parts.items()
            if part.shapes and i not in carried and i not in ends
            and i not in (entry.barrel, entry.rod, *entry.stages)
        }  # fmt: skip
        for part in (entry.barrel, *entry.stages, entry.rod):
            show = partial(document.select, part)
            self.add(Slab(inks, rig.parts[part].joint.kind, rig.parts[part].name, "", show))
            if spare:
                what = f"Shape of {rig.parts[part].name}"
                take = partial(self._take_shape, part, spare)
                self.add(menu_button("Shape it as a part…", what, list(spare), take))
        self.add(link_button("Remove this strut", self._remove, "With its barrel and rod"))
        self.end()
        self.take_pose()

    def _length(self, word: str, name: str) -> None:
        entry = self.document.rig.struts[self.strut]
        field = number_field(self.document, self, "length", f"{word} length")
        field.set_value(getattr(entry, name))
        field.committed.connect(lambda value: self._change(word.lower(), **{name: value}))
        self.row(word, field)

    def _stage(self, index: int, length: float) -> QuantityField:
        field = number_field(self.document, self, "length", f"Stage {index + 1} length")
        field.set_value(length)

        def typed(value: float) -> None:
            lengths = list(body_lengths(self.document.rig.struts[self.strut]))
            lengths[index + 1] = value
            self._put_bodies(f"stage {index + 1}", tuple(lengths))

        field.committed.connect(typed)
        return field

    def _add_stage(self) -> None:
        lengths = body_lengths(self.document.rig.struts[self.strut])
        self._put_bodies("one more stage", (*lengths[:-1], lengths[0], lengths[-1]))

    def _drop_stage(self) -> None:
        lengths = body_lengths(self.document.rig.struts[self.strut])
        self._put_bodies("one stage less", (*lengths[:-2], lengths[-1]))

    def _put_bodies(self, what: str, lengths: tuple[float, ...]) -> None:
        name = self.document.rig.struts[self.strut].name
        if not self.document.edit(
            f"{what} of {name}", lambda rig: with_bodies(rig, self.strut, lengths)
        ):
            self.document.selection_changed.emit()

    def _take_shape(self, body: str, spare: dict[str, str], name: str) -> None:
        what = f"shape {self.document.rig.parts[body].name} as {name}"
        self.document.edit(what, lambda rig: with_shape_of(rig, self.strut, body, spare[name]))

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
        lengths = fewest_bodies(use.shortest, use.longest)
        if lengths is None:
            self.add(second("No bodies would do: move an end."))
            return
        self.add(second(f"These would do: {bodies_told(lengths)}."))
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
