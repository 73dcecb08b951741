"""Links that are made by clicking parts: what the next click is for."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import numpy.typing as npt

from gremio.core.frames import triple
from gremio.core.rig.channels import key, main_channel, split
from gremio.core.rig.model import Cam, ConstraintKind, StrandKind, Target
from gremio.desktop import rigging
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.card import Card
from gremio.desktop.deck.cam_page import CamPage, let_cam_lead
from gremio.desktop.document import Document

Array = npt.NDArray[np.float64]


class Picking:
    """Asks for parts in the Bench or the list of parts, and makes links of them."""

    def __init__(self, document: Document, bench: Bench, card: Card, cam_page: CamPage) -> None:
        self.document, self.bench, self.card, self.cam_page = document, bench, card, cam_page
        self._then: Callable[[str], None] | None = None
        self._kind: ConstraintKind | None = None
        # Whose constraint, or copies, the next clicks are for.
        self._for = ""
        bench.part_picked.connect(self._picked)
        bench.pinned.connect(self._pinned)
        bench.strutted.connect(self._strutted)
        bench.target_picked.connect(self._target_picked)
        bench.copy_picked.connect(self._copy_picked)
        bench.drawn_through.connect(self._drawn_through)
        bench.round_picked.connect(self._round_picked)
        bench.loop_picked.connect(self._loop_picked)
        bench.stranded.connect(self._stranded)
        cam_page.follower_wanted.connect(self._ask_follower)

    def _ask(self, words: str, then: Callable[[str], None]) -> None:
        """Let the next click on a part do something."""
        self._then = then
        self.bench.ask_part(words)

    def _picked(self, part: str) -> None:
        then, self._then = self._then, None
        if then is not None:
            then(part)

    def clicked(self, part: str) -> None:
        """A part was clicked in the list: that answers too, where one is asked for."""
        if not self.bench.asking_part():
            return
        kind = self.bench.asked_kind()
        if kind == "wheels":
            self.bench.add_wheel(part)
            return
        self.bench.stop_asking()
        if kind == "target":
            self._target_picked(part, "", None)
        else:
            self._picked(part)

    def lead_something(self) -> None:
        """Begin a link from what is selected: the next click chooses the follower."""
        lead = rigging.lead_of_selected(self.document)
        if lead:
            self._ask("click the part that should follow", partial(self._lead_to, lead))

    def _lead_to(self, lead: str, part: str) -> None:
        owner = split(lead)[0]
        if owner in self.document.rig.parts and owner != part:
            self.card.propose_ratio(owner, part)
        else:
            rigging.link_to(self.document, lead, part)

    def lead_one_more(self) -> None:
        """Let the next click choose one more follower of the selected cam, or of the one shown."""
        links = self.document.rig.links
        chosen = self.document.selected if self.document.selected in links else ""
        link_id = chosen or self.cam_page.link_id
        if isinstance(links.get(link_id), Cam):
            self._ask_follower(link_id)
        else:
            self.document.said.emit(
                "Select a cam first: its followers are added to, one click each."
            )

    def _ask_follower(self, link_id: str) -> None:
        words = "click the part that this cam should lead too"
        self._ask(words, partial(self._lead_too, link_id))

    def _lead_too(self, link_id: str, part: str) -> None:
        if rigging.can_move(self.document, part):
            channel = key(part, main_channel(self.document.rig.parts[part].joint))
            let_cam_lead(self.document, link_id, channel)

    def planetary_set(self) -> None:
        """Begin a planetary set with the selected part as its sun: the ring, then the arm."""
        sun = rigging.selected_part(self.document)
        if sun and rigging.can_move(self.document, sun):
            words = "click the ring, or the other side of a differential"
            self._ask(words, partial(self._ring, sun))

    def _ring(self, sun: str, ring: str) -> None:
        if rigging.can_move(self.document, ring):
            self._ask("click the arm that carries the planets", partial(self._arm, sun, ring))

    def _arm(self, sun: str, ring: str, carrier: str) -> None:
        from gremio.desktop import preparing

        if rigging.can_move(self.document, carrier):
            preparing.planetary_set(self.document, sun, ring, carrier)

    # ── constraints and paths ──────────────────────────────────────

    def constrain(self, kind: ConstraintKind) -> None:
        """Begin a constraint on the selected part: the next click chooses its target."""
        from gremio.desktop import constraining

        part = rigging.selected_part(self.document)
        if not part:
            return
        if kind == "constant volume":
            constraining.tie(self.document, kind, part, [])
            return
        self._kind, self._for = kind, part
        self.bench.ask_target(constraining.asking_words(self.document, kind, part))

    def add_target(self) -> None:
        """Let the next click choose one more target of the selected constraint."""
        if self.document.selected not in self.document.rig.constraints:
            self.document.said.emit("Select a constraint first; then click one more target.")
            return
        self._kind, self._for = None, self.document.selected
        self.bench.ask_target("click one more target")

    def _target_picked(self, part: str, path: str, place: Array | None) -> None:
        from gremio.desktop import constraining

        target = Target(path=path) if path else Target(part)
        if not path and not part and place is not None:
            target = Target(at=triple(place))
        if self._kind is None:
            constraining.one_more_target(self.document, self._for, target)
        elif self._kind == "seat" and part and place is not None:
            constraining.seat_at(self.document, self._for, part, place)
        else:
            constraining.tie(self.document, self._kind, self._for, [target])

    def seat_copies(self) -> None:
        """Let each click put the selected part, and then copies of it, on a surface."""
        part = rigging.selected_part(self.document)
        if part:
            self._for = part
            self.bench.ask_copies(part)

    def _copy_picked(self, on: str, place: Array) -> None:
        from gremio.desktop import constraining

        if on == self._for:
            self.document.said.emit("That is the part itself. Click the surface it goes on.")
        elif constraining.seat_copy(self.document, self._for, on, place):
            self.document.select(self._for)

    def _drawn_through(self, places: list[Array], on: str) -> None:
        from gremio.desktop import constraining

        constraining.make_path(self.document, places, on or None)

    def _round_picked(self, parts: list[str]) -> None:
        from gremio.desktop import constraining

        constraining.path_round(self.document, parts)

    def _loop_picked(self, spot: Spot) -> None:
        from gremio.desktop import constraining

        constraining.path_along_edges(self.document, spot, self.bench.camera.back)

    def _stranded(self, kind: StrandKind, spots: list[Spot]) -> None:
        from gremio.desktop import closing

        closing.strand_through(self.document, kind, spots)

    def _pinned(self, one: Spot, two: Spot) -> None:
        from gremio.desktop import closing

        closing.pin_together(self.document, one, two)

    def _strutted(self, one: Spot, two: Spot) -> None:
        from gremio.desktop import closing

        closing.strut_between(self.document, one, two)
