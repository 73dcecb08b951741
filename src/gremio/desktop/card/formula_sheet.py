"""The Card on which a formula is written for a channel."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox

from gremio.core.edit.formulas import shown, write
from gremio.core.formula.parse import FUNCTIONS
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Formula
from gremio.core.rig.numbers import full_label
from gremio.desktop.document.document import Document
from gremio.desktop.fields.formula_edit import FormulaEdit
from gremio.desktop.fields.pieces import Sheet, heading, rule, second, verb
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

_ABOUT = (
    "Write it as plain arithmetic: names with a dot and a channel, + − × ÷ ^, brackets, units "
    "such as 35 deg or 0.4 m. Tab takes over the name that is offered."
)


class FormulaSheet(Sheet):
    """A formula for one channel, being written. done: what to do when it is made or left."""

    def __init__(
        self, document: Document, channel: ChannelKey, inks: Inks, done: Callable[[], None]
    ) -> None:
        super().__init__()
        self.document, self.channel, self._done = document, channel, done
        present = next(
            (
                link
                for link in document.rig.links.values()
                if isinstance(link, Formula) and link.follower == channel
            ),
            None,
        )
        title = heading(f"Formula for {full_label(document.rig, channel)}")
        title.setFont(text_font(11.5, bold=True))
        title.setWordWrap(True)
        self.add(title)
        self.add(rule())
        text = "" if present is None else shown(document.rig, present)
        self.edit = FormulaEdit(document, channel, text, inks)
        self.edit.committed.connect(self._make)
        self.add(self.edit)
        self.adds = QCheckBox("add to what leads it otherwise")
        self.adds.setChecked(present is not None and present.adds)
        self.add(self.adds)
        made = verb("Make it", self.edit.commit, "Enter", main=True)
        self.add(made)
        self.add(verb("Leave it", done, "Escape"))
        self.add(second(_ABOUT))
        self.add(heading("Functions"))
        for name, (_, _, does) in FUNCTIONS.items():
            self.add(second(f"{name}: {does}"))
        self.end()

    def _make(self, text: str) -> None:
        adds = self.adds.isChecked()
        name = full_label(self.document.rig, self.channel)
        made = self.document.make(
            f"formula for {name}", lambda rig: write(rig, self.channel, text, adds=adds)
        )
        if made:
            self._done()
