"""The Card on which a piece of the rig is kept as a kit."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from gremio.core.make.kit_of import kit_of
from gremio.core.problem import GremioError, counted_words
from gremio.core.rig.channels import CHANNELS, key, split
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.links import followers, leads
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label
from gremio.desktop.bench.question import NumberQuestion, Question
from gremio.desktop.bench.view import Bench
from gremio.desktop.document.document import Document
from gremio.desktop.fields.pieces import (
    Sheet,
    WideCheck,
    choice,
    heading,
    rule,
    second,
    title,
    verb,
)
from gremio.desktop.fields.text_field import TextField

# Writes a kit under a name into a folder; whether it was written.
Write = Callable[[Rig, Path], bool]


class _Number(NumberQuestion):
    """A number that is asked for when the kit is put in."""

    def __init__(self, document: Document, answer: Callable[[ChannelKey], None]) -> None:
        super().__init__(document)
        self._answer = answer

    @property
    def words(self) -> str:
        """What to click."""
        return "click a number that is asked for when the kit is put in, on a Card or the Desk"

    def take(self, part: object, place: object) -> Question | None:
        """A part is no number."""
        del part, place
        self.document.said.emit("Click a number: a dimension on the Card, or a control.")
        return self

    def take_number(self, channel: ChannelKey) -> Question | None:
        """That one."""
        self._answer(channel)
        return None


class KeepKitSheet(Sheet):
    """Asks for a name, words to find it by, what is asked for when it is put in, and where it is
    kept. write: writes it there."""

    def __init__(
        self,
        document: Document,
        bench: Bench,
        folders: list[Path],
        write: Write,
        done: Callable[[], None],
    ) -> None:
        super().__init__()
        self.document, self.bench, self._write, self._done = document, bench, write, done
        self.roots = document.chosen_parts
        self.folder = folders[0]
        self._folders = {_told(folder): folder for folder in folders}
        rig = document.rig
        self.made = kit_of(rig, self.roots, geometry=document.geometry)
        kit = self.made.kit
        self.add(title("Keep a kit"))
        counts = ((kit.parts, "part"), (kit.controls, "control"), (kit.links, "link"))
        told = ", ".join(counted_words(len(things), word) for things, word in counts if things)
        self.add(second(f"Of {told}, with all that is inside."))
        self.add(rule())
        self.name = self._words(kit.name, "Name of the kit")
        self.row("Name", self.name)
        self.about = self._words("", "What the kit is, in a line")
        self.about.setPlaceholderText("what it is, in a line")
        self.row("About", self.about)
        self.words = self._words("", "Words to find the kit by")
        self.words.setPlaceholderText("gate, lid")
        self.row("Words", self.words)
        self.row("Kept in", choice(list(self._folders), _told(self.folder), "Folder of the kit",
                                   self._set_folder))  # fmt: skip
        if kit.kit is not None:
            self.add(rule())
            self.add(heading("Asked for when it is put in"))
            for socket in kit.kit.sockets:
                self.add(second(socket.asks[0].upper() + socket.asks[1:]))
        self._asked: dict[ChannelKey, WideCheck] = {}
        # The controls of the rig that are in the kit too, as they are called there.
        names = {entry.name for entry in kit.controls.values()}
        for control, entry in rig.controls.items():
            if entry.name in names:
                self._add_number(key(control), ticked=_is_dimension(kit, entry.name))
        tip = "Click a dimension on a Card; it is asked for when the kit is put in"
        self.add(verb("Another number", self._ask_number, tip))
        for left in self.made.told:
            self.add(second(left))
        self.add(rule())
        self.add(verb("Keep it", self._make, main=True))
        self.add(verb("Leave it", done, "Escape"))
        self.end()

    def _words(self, text: str, what: str) -> TextField:
        field = TextField(text, what)
        field.typed.connect(lambda _text: field.taken())
        return field

    def _add_number(self, channel: ChannelKey, *, ticked: bool) -> None:
        name = full_label(self.document.rig, channel)
        tick = WideCheck(name)
        tick.setAccessibleName(f"Ask for {name}")
        tick.setChecked(ticked)
        tick.setToolTip("Ticked, it is asked for once and is a plain number from then on; else it "
                        "is a control on the Desk")  # fmt: skip
        self._asked[channel] = tick
        self.add(tick)

    # ── what hands do ──────────────────────────────────────────────

    def _set_folder(self, text: str) -> None:
        self.folder = self._folders[text]

    def _ask_number(self) -> None:
        self.bench.ask(_Number(self.document, self._take_number))

    def _take_number(self, channel: ChannelKey) -> None:
        if channel in self._asked:
            self._asked[channel].setChecked(True)
            return
        at = self.column.indexOf(list(self._asked.values())[-1]) if self._asked else -1
        self._add_number(channel, ticked=True)
        tick = self._asked[channel]
        self.column.removeWidget(tick)
        self.column.insertWidget(at + 1 if at >= 0 else self.column.count() - 2, tick)
        tick.show()

    def _make(self) -> None:
        asked = [channel for channel, tick in self._asked.items() if tick.isChecked()]
        words = tuple(word.strip() for word in self.words.text().split(",") if word.strip())
        name = self.name.text().strip()
        if not name:
            self.document.said.emit("Give the kit a name.")
            return
        try:
            made = kit_of(
                self.document.rig, self.roots, name=name, about=self.about.text().strip(),
                words=words, dimensions=asked, geometry=self.document.geometry,
            )  # fmt: skip
        except GremioError as problem:
            self.document.said.emit(str(problem))
            return
        if self._write(made.kit, self.folder):
            self._done()


def _told(folder: Path) -> str:
    """A folder as it is shown: from home on."""
    home = Path.home()
    return f"~/{folder.relative_to(home)}" if folder.is_relative_to(home) else str(folder)


def _is_dimension(kit: Rig, name: str) -> bool:
    """Whether a control of a kit leads a number that is no motion: a length, a count, a stop."""
    control = next(i for i, entry in kit.controls.items() if entry.name == name)
    return any(
        split(channel)[1] not in CHANNELS and split(channel)[0] in kit.parts
        for link in kit.links.values() if key(control) in leads(link)
        for channel in followers(link)
    )  # fmt: skip
