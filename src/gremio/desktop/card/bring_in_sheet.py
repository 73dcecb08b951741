"""The Card while parts are brought in: what the model holds, its unit and upright axis."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from gremio.core.files.bring_in import FACING, UNITS_OF_FILES, box_of, likelier_unit
from gremio.core.quantity import show_number_short, show_short
from gremio.core.surfaces.models import Model
from gremio.desktop.fields.pieces import Sheet, choice, heading, rule, second, verb
from gremio.desktop.theme.dress import text_font
from gremio.desktop.theme.inks import Inks

_SHOWN = 14


class BringInSheet(Sheet):
    """Asks what a model needs to be told, and shows what will come.

    reread: the unit or the upright axis is another one (metres, axis). ground: put it on
    the ground, or leave it. faced: the axis that its front faces. accepted, left: what was
    decided.
    """

    reread = pyqtSignal(float, str)
    ground = pyqtSignal(bool)
    faced = pyqtSignal(str)
    accepted = pyqtSignal()
    left = pyqtSignal()

    def __init__(self, model: Model, on_ground: bool, facing: str, inks: Inks) -> None:
        super().__init__()
        self.model, self.inks = model, inks
        title = heading("Bring in parts")
        title.setFont(text_font(11.5, bold=True))
        self.add(title)
        self.add(second(Path(model.path).name))
        self.add(rule())
        unit = next((n for n, size in UNITS_OF_FILES.items() if size == model.metres), "metres")
        self.row("Its unit", choice(list(UNITS_OF_FILES), unit, "Unit of the file", self._set_unit))
        self.row("Upright", choice(("y", "z"), model.up, "Upright axis", self._set_up))
        front = choice(list(FACING), facing, "Axis of its front", self.faced.emit)
        front.setToolTip("It is turned to face along x, as a carriage does")
        self.row("Faces", front)
        low, high = box_of(model)
        sides = (show_number_short(b - a, "m") for a, b in zip(low, high, strict=True))
        size = QLabel(f"{' × '.join(sides)} m")
        size.setWordWrap(True)
        self.row("Size", size)
        if likelier := likelier_unit(model):
            self._doubt(likelier)
        if worn := _materials(model):
            self.row("Materials", QLabel(worn))
        box = QCheckBox("Put it on the ground, at the origin")
        box.setChecked(on_ground)
        box.toggled.connect(self.ground)
        self.add(box)
        self._add_nodes()
        for note in model.notes:
            warning = QLabel(note.text)
            warning.setProperty("warning", True)
            warning.setWordWrap(True)
            self.add(warning)
        self._add_buttons()
        self.end()

    def _doubt(self, likelier: str) -> None:
        """Ask about a size that is hardly meant, with the unit that would do."""
        factor = UNITS_OF_FILES[likelier] / self.model.metres
        low, high = box_of(self.model)
        across = max(b - a for a, b in zip(low, high, strict=True))
        doubt = QLabel(
            f"It is {show_short(across, 'm')} across. In {likelier} it would be "
            f"{show_short(across * factor, 'm')}."
        )
        doubt.setProperty("warning", True)
        doubt.setWordWrap(True)
        self.add(doubt)
        self.add(verb(f"Read it in {likelier}", lambda: self._set_unit(likelier)))

    def _add_nodes(self) -> None:
        count = len(self.model.nodes)
        self.add(heading(f"{count} part{'s' if count != 1 else ''}"))
        listing = QWidget()
        column = QVBoxLayout(listing)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        depth: list[int] = []
        for node in self.model.nodes:
            depth.append(0 if node.parent is None else depth[node.parent] + 1)
        for node, level in list(zip(self.model.nodes, depth, strict=True))[:_SHOWN]:
            line = QHBoxLayout()
            line.setContentsMargins(level * 12, 0, 0, 0)
            name = QLabel(node.name)
            triangles = sum(len(piece.geometry.triangles) for piece in node.pieces)
            line.addWidget(name, 1)
            line.addWidget(second(f"{triangles:,} triangles" if triangles else "mount only"))
            column.addLayout(line)
        if count > _SHOWN:
            column.addWidget(second(f"and {count - _SHOWN} more"))
        self.add(listing)

    def _add_buttons(self) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 10, 0, 0)
        count = len(self.model.nodes)
        self.accept = QPushButton(f"Bring in {count} part{'s' if count != 1 else ''}")
        self.accept.setProperty("main", True)
        self.accept.clicked.connect(lambda _checked=False: self.accepted.emit())
        self.leave = QPushButton("Leave it")
        self.leave.clicked.connect(lambda _checked=False: self.left.emit())
        line.addWidget(self.accept)
        line.addWidget(self.leave)
        line.addStretch()
        self.add(row)

    def _set_unit(self, text: str) -> None:
        self.reread.emit(UNITS_OF_FILES[text], self.model.up)

    def _set_up(self, text: str) -> None:
        self.reread.emit(self.model.metres, text)


def _materials(model: Model) -> str:
    """How many materials and pictures a model has, in words; "" for none."""
    looks = {piece.look for node in model.nodes for piece in node.pieces if piece.look is not None}
    materials = {look.material for look in looks if look.material is not None}
    textures = {texture for material in materials for texture in material.textures}
    pictures = {picture for texture in textures for picture in texture.pictures.values()}
    counts = [(len(materials), "material"), (len(pictures), "picture")]
    return ", ".join(f"{n} {word}{'s' if n != 1 else ''}" for n, word in counts if n)
