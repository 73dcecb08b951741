"""Links that are made by clicking parts: what the next click is for."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from gremio.core.rig.channels import key, main_channel, split
from gremio.core.rig.model import Cam
from gremio.desktop import rigging
from gremio.desktop.bench.snapping import Spot
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.card import Card
from gremio.desktop.deck.cam_page import CamPage, let_cam_lead
from gremio.desktop.document import Document


class Picking:
    """Asks for parts in the Bench or the list of parts, and makes links of them."""

    def __init__(self, document: Document, bench: Bench, card: Card, cam_page: CamPage) -> None:
        self.document, self.bench, self.card, self.cam_page = document, bench, card, cam_page
        self._then: Callable[[str], None] | None = None
        bench.part_picked.connect(self._picked)
        bench.pinned.connect(self._pinned)
        bench.strutted.connect(self._strutted)
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
        if self.bench.asking_part():
            self.bench.stop_asking()
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

    def _pinned(self, one: Spot, two: Spot) -> None:
        from gremio.desktop import closing

        closing.pin_together(self.document, one, two)

    def _strutted(self, one: Spot, two: Spot) -> None:
        from gremio.desktop import closing

        closing.strut_between(self.document, one, two)
