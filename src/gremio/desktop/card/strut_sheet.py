"""The Card of a strut: its bodies, its stroke, and what the machine asks of it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from gremio.core.inspect.struts import bodies_told, told, use_in
from gremio.core.make.bodies import with_body
from gremio.core.make.struts import (
    body_lengths,
    change_strut,
    eyes,
    fitted,
    remove_strut,
    with_bodies,
)
from gremio.core.mechanics.struts import fewest_bodies
from gremio.core.quantity import show_short
from gremio.core.rig.channels import key
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig, Strut
from gremio.desktop.card.form_sheet import FormSheet
from gremio.desktop.card.forms import Act, Amount, Field, Head, Menu, Rule, Thing, Title, Words
from gremio.desktop.document.document import Document
from gremio.desktop.theme.inks import Inks


class StrutSheet(FormSheet):
    """What is known of one strut."""

    change = staticmethod(change_strut)

    def __init__(self, document: Document, strut: ThingId, inks: Inks) -> None:
        super().__init__(document, strut, inks)
        entry = self.entry
        self.owner = entry.barrel
        self.lay(
            Title(self.get("name"), self.set("name"), [Act("Remove this strut", self._remove)]),
            Words("strut, its rod slides in its barrel, both eyes turn freely"),
            Rule(),
            self._length("Barrel", "barrel_length"),
            *(self._stage(index) for index in range(len(entry.stage_lengths))),
            self._length("Rod", "rod_length"),
            self._length("Bore", "bore"),
            Act("One more stage", self._add_stage, "A tube between barrel and rod"),
            Act("One stage less", self._drop_stage) if entry.stages else None,
            self._use(),
            self._between(),
            self._bodies(),
        )
        self.end()

    @property
    def entry(self) -> Strut:
        """The strut as it is now."""
        return self.document.rig.struts[self.thing]

    def _length(self, word: str, field: str) -> Amount:
        return Amount(word, "length", self.get(field), self.set(field), word.lower(),
                      f"{word} length")  # fmt: skip

    def _stage(self, index: int) -> Amount:
        def put(rig: Rig, value: float) -> Rig:
            lengths = list(body_lengths(rig.struts[self.thing]))
            lengths[index + 1] = value
            return with_bodies(rig, self.thing, tuple(lengths))

        word = f"Stage {index + 1}"
        return Amount(word, "length", lambda rig: rig.struts[self.thing].stage_lengths[index], put,
                      word.lower(), f"{word} length")  # fmt: skip

    def _add_stage(self) -> None:
        lengths = body_lengths(self.entry)
        self._put_bodies("one more stage", (*lengths[:-1], lengths[0], lengths[-1]))

    def _drop_stage(self) -> None:
        lengths = body_lengths(self.entry)
        self._put_bodies("one stage less", (*lengths[:-2], lengths[-1]))

    def _put_bodies(self, what: str, lengths: tuple[float, ...]) -> None:
        self.edit(what, lambda rig: with_bodies(rig, self.thing, lengths))

    def _between(self) -> Iterator[Field]:
        rig = self.document.rig
        yield Head("Between")
        for part, _ in eyes(rig, self.entry):
            if part in rig.parts:
                yield Thing(rig.parts[part].joint.kind, rig.parts[part].name, "", part)
            else:
                yield Words("the ground")

    def _bodies(self) -> Iterator[Field]:
        rig, entry = self.document.rig, self.entry
        yield Head("Bodies")
        carried = {part.parent for part in rig.parts.values()}
        ends = {part for part, _ in eyes(rig, entry)}
        spare = {
            part.name: i for i, part in rig.parts.items()
            if part.shapes and i not in carried and i not in ends
            and i not in (entry.barrel, entry.rod, *entry.stages)
        }  # fmt: skip
        for part in (entry.barrel, *entry.stages, entry.rod):
            name = rig.parts[part].name
            yield Thing(rig.parts[part].joint.kind, name, "", part)
            if spare:
                take = partial(self._take_shape, part, spare)
                yield Menu("Shape it as a part…", list(spare), take, f"Shape of {name}")

    def _take_shape(self, body: PartId, spare: dict[str, PartId], name: str) -> None:
        what = f"shape {self.document.rig.parts[body].name} as {name}"
        geometry = self.document.geometry
        self.document.edit(
            what,
            lambda rig: with_body(rig, self.thing, body, spare[name], geometry=geometry),
        )

    def _use(self) -> Iterator[Field]:
        """The stroke used and left over the whole travel, and lengths that would do."""
        rig = self.document.rig
        use = use_in(self.document.program, self.thing)
        yield Head("Stroke")
        yield Words(self._now)
        stroke, used = self._shown(use.stroke), self._shown(use.used)
        if not use.led:
            yield Words(
                f"Its stroke is {stroke}. Nothing with stops or a range moves its ends yet: give "
                "their joints stops, or make a control."
            )
            return
        yield Words(f"Its stroke is {stroke}; the machine uses {used}.")
        spare = use.shortest - use.least, use.most - use.longest
        if use.past is None:
            yield Words(
                f"left: {self._shown(spare[0])} before the closed end, "
                f"{self._shown(spare[1])} before it comes apart"
            )
            return
        yield Words(f"It {told(rig, use)}.")
        lengths = fewest_bodies(use.shortest, use.longest)
        if lengths is None:
            yield Words("No bodies would do: move an end.")
            return
        yield Words(f"These would do: {bodies_told(lengths)}.")
        yield Act("Let them be so", self._fit, "Bodies for the whole travel")

    def _now(self) -> str:
        """How long it is now."""
        rig, entry = self.document.rig, self.entry
        out = self.document.pose.at(key(entry.rod, "move x"))
        apart = rig.parts[entry.rod].mount.at[0] + out
        return f"{self._shown(apart)} from eye to eye now"

    def _shown(self, length: float) -> str:
        return show_short(length, self.usual_unit("length"))

    def _fit(self) -> None:
        geometry = self.document.geometry
        name = self.entry.name
        self.document.edit(f"fit {name}", lambda rig: fitted(rig, self.thing, geometry=geometry))

    def _remove(self) -> None:
        name = self.entry.name
        self.document.edit(f"remove {name}", lambda rig: remove_strut(rig, self.thing))
