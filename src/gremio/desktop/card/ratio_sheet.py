"""The Card on which a ratio between two parts is proposed, shown and accepted."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from gremio.core.edit.links import add_link, proposed_ratio
from gremio.core.make.own_teeth import interlock_own
from gremio.core.make.pairs import Proposal, fitting_kinds, propose, with_figures
from gremio.core.mechanics.ratios import FIGURES
from gremio.core.problem import GremioError
from gremio.core.rig import ids
from gremio.core.rig.channels import key, main_channel, split
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.numbers import full_label
from gremio.desktop.document.document import Document
from gremio.desktop.fields.areas import clear
from gremio.desktop.fields.keyboard import ASKS
from gremio.desktop.fields.pieces import Sheet, choice, heading, rule, second, verb
from gremio.desktop.fields.quantity_field import QuantityField
from gremio.desktop.theme.dress import digit_font, text_font

_PLAIN = "plain"
_WAYS = {"with its lead": 1, "against its lead": -1}


class RatioSheet(Sheet):
    """A ratio between two parts, as their geometry proposes it, to be changed and accepted.

    lead, follower: ids of parts. done: what to do when it is made or left.
    """

    of_selection = True

    def __init__(
        self, document: Document, lead: PartId, follower: PartId, done: Callable[[], None]
    ) -> None:
        super().__init__()
        self.document, self._done = document, done
        rig = document.rig
        self.lead = key(lead, main_channel(rig.parts[lead].joint))
        self.follower = key(follower, main_channel(rig.parts[follower].joint))
        try:
            self.proposal: Proposal | None = propose(
                rig, document.settled(), lead, follower, geometry=document.geometry
            )
        except GremioError:
            self.proposal = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty(ASKS, True)
        self._build()

    def _build(self) -> None:
        clear(self.column)
        self._grid = None
        rig = self.document.rig
        title = heading("Lead by a ratio")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second(f"{full_label(rig, self.lead)}\nleads {full_label(rig, self.follower)}"))
        self.add(rule())
        kinds = [_PLAIN, *fitting_kinds(self.lead, self.follower)]
        present = self.proposal.kind if self.proposal else _PLAIN
        self.row("Made as", choice(kinds, present, "Kind of ratio", self._set_kind))
        if self.proposal is not None:
            self._add_figures(self.proposal)
        else:
            self.add(second("Nothing on these parts says how they turn together."))
        self.words = heading(self._words())
        self.words.setFont(digit_font(9.5))
        self.words.setWordWrap(True)
        self.words.setAccessibleName("Arithmetic")
        self.add(self.words)
        if self.proposal is not None and self.proposal.carrier:
            arm = full_label(rig, self.proposal.carrier)
            self.add(second(f"as seen from {arm}, which carries one of the two"))
        make = verb("Make it", self.accept, "Enter", main=True)
        self.add(make)
        self.add(verb("Leave it", self._done, "Escape"))
        if self.proposal is None:
            self.add(second("Its two numbers are then on the Card of the link."))
        self.end()

    def _add_figures(self, proposal: Proposal) -> None:
        for figure in FIGURES[proposal.kind]:
            field = QuantityField(figure.kind, figure.unit, figure.name.capitalize(), self)
            # Teeth and falls are whole numbers, without decimals.
            field.bare = figure.kind == "number"
            field.set_value(proposal.figures[figure.name])
            field.refused.connect(self.document.said)
            field.committed.connect(lambda value, n=figure.name: self._set(n, value))
            self.row(figure.name.capitalize(), field)
        ways = list(_WAYS)
        self.row("It goes", choice(ways, ways[0 if proposal.way > 0 else 1], "Way", self._set_way))

    def _words(self) -> str:
        if self.proposal is None:
            return "one for one, or as their ranges say"
        try:
            return self.proposal.words
        except GremioError as problem:
            return str(problem)

    def _set_kind(self, kind: str) -> None:
        rig = self.document.rig
        if kind == _PLAIN:
            self.proposal = None
        else:
            named = next(k for k in fitting_kinds(self.lead, self.follower) if k == kind)
            base = self.proposal or Proposal(self.lead, self.follower, named, {}, 1)
            self.proposal = base.of_kind(named)
            read = propose(
                rig,
                self.document.pose,
                ids.part(self.lead.split()[0]),
                ids.part(self.follower.split()[0]),
                geometry=self.document.geometry,
            )
            if read is not None and read.kind == named:
                self.proposal = read
        self._build()

    def _set(self, name: str, value: float) -> None:
        assert self.proposal is not None
        self.proposal = with_figures(self.proposal, {name: value}, self.proposal.way)
        self.words.setText(self._words())

    def _set_way(self, text: str) -> None:
        assert self.proposal is not None
        self.proposal = with_figures(self.proposal, {}, _WAYS[text])
        self.words.setText(self._words())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter accepts, Escape leaves; in a field they are the field's."""
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.accept()
        elif event.key() == Qt.Key.Key_Escape:
            self._done()
        else:
            super().keyPressEvent(event)

    def accept(self) -> None:
        """Make the ratio as it is shown."""
        names = (full_label(self.document.rig, c) for c in (self.lead, self.follower))
        lead, follower = names
        try:
            ratio: Ratio = (
                self.proposal.ratio()
                if self.proposal
                else proposed_ratio(self.document.rig, self.lead, self.follower)
            )
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        parts = [PartId(split(c)[0]) for c in (self.lead, self.follower)]
        cogs, geometry = self.proposal is not None and self.proposal.cogs, self.document.geometry

        def change(rig: Rig) -> tuple[Rig, ThingId]:
            # The teeth of one stand in the spaces of the other from the start.
            if cogs:
                rig = interlock_own(rig, *parts, geometry=geometry)
            return add_link(rig, ratio)

        if self.document.make(f"lead {follower} from {lead}", change):
            self.document.said.emit(f"{lead} leads {follower}: {self._words()}.")
            self._done()
