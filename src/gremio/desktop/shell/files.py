"""The file work of the window: opening, saving, bringing in, exporting."""

from __future__ import annotations

import subprocess
import sys
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QFileDialog, QWidget

from gremio.core.edit.whole import rename_rig
from gremio.core.files import rig_file
from gremio.core.files.bring_in import bring_in
from gremio.core.files.model_in import ENDINGS, read_model
from gremio.core.inspect.differences import differences
from gremio.core.problem import GremioError, Note
from gremio.core.rig import ids
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Rig, Up
from gremio.core.rig.solids import Mesh
from gremio.core.surfaces.models import Model
from gremio.desktop.bench.view import Bench
from gremio.desktop.card.bring_in_sheet import BringInSheet
from gremio.desktop.card.card import Card
from gremio.desktop.document.document import Document
from gremio.desktop.document.saving import ChangedOnDisk
from gremio.desktop.fields.ask import choose
from gremio.desktop.kept import keep as keep_setting
from gremio.desktop.kept import kept
from gremio.desktop.shell.exports import Exports
from gremio.desktop.shell.file_lock import FileLock, Holder
from gremio.desktop.shell.models import Models, load_reader
from gremio.desktop.shell.reading import Reading
from gremio.desktop.shell.recent import in_folder, last_folder, was_used
from gremio.desktop.shell.recovery import Keeper, read_kept

if TYPE_CHECKING:
    from gremio.desktop.shell.taking import Taking

_MODELS = "Models (" + " ".join(f"*{ending}" for ending in ENDINGS) + ")"
_READ = "Rigs (*.gremio *.urdf)"
# So many differences are told.
_TOLD = 12
_PREVIOUS = "keep the previous save"
_SAVE_AS = "Save it as another file, which is then without what is not known."
_READ_ONLY = f"It is open to be read only. {_SAVE_AS}"


class ShowRig(Protocol):
    """Puts another rig on the table."""

    def __call__(
        self,
        rig: Rig,
        path: Path | None = None,
        *,
        saved: bool = True,
        opened: rig_file.Opened | None = None,
    ) -> None:
        """Put it there. saved: whether it is as its file is."""


class Files(Exports):
    """Reads and writes for one window. Every failure is said, and nothing is lost by it.

    window: over which it asks. show_rig: puts another rig on the table.
    """

    def __init__(
        self,
        window: QWidget,
        document: Document,
        bench: Bench,
        card: Card,
        keeper: Keeper,
        show_rig: ShowRig,
    ) -> None:
        super().__init__(window, document, card)
        self.bench, self.keeper, self._show_rig = bench, keeper, show_rig
        self.lock, self.models = FileLock(), Models(window, document.shelf, bench)
        document.keeps_previous = kept(_PREVIOUS, True)
        self._before: Rig | None = None
        self._model: Model | None = None
        self._on_ground, self._facing = False, "x"

    # ── rigs ───────────────────────────────────────────────────────

    def new(self) -> None:
        """An empty rig."""
        if self.leave():
            self._show_rig(Rig())

    def open(self) -> None:
        """Ask for a rig and open it."""
        path, _ = QFileDialog.getOpenFileName(self.window, "Open a rig", self._folder(), _READ)
        if path:
            self.open_path(Path(path))

    def new_window(self) -> None:
        """Another window, for another rig, that does not depend on this one."""
        subprocess.Popen([sys.executable, "-m", "gremio", "open"], start_new_session=True)

    def compare(self) -> None:
        """Ask for another rig, and show what is otherwise in this one."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Compare with a rig", self._folder(), _READ
        )
        if path:
            self.compare_path(Path(path))

    def compare_path(self, path: Path) -> None:
        """Show what a file says otherwise than the open rig, to be taken over by choice."""
        try:
            other = rig_file.open_known(path)
        except GremioError as problem:
            self._say(str(problem))
            return
        self.models.read(other.rig, shown=False)
        self.taking.of_rig(path.name, other.rig)

    @cached_property
    def taking(self) -> Taking:
        """Offers what is otherwise elsewhere; loaded when it is first asked for."""
        from gremio.desktop.shell.taking import Taking

        return Taking(self.document, self.card)

    def open_copy(self) -> None:
        """Ask for a rig, and open a copy of it, which has no file of its own yet."""
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Open a copy of a rig", self._folder(), "Rigs (*.gremio)"
        )
        if path:
            self.open_copy_path(Path(path))

    def open_copy_path(self, path: Path) -> bool:
        """Open a copy of a rig: saving asks where, so that the rig itself stays as it is."""
        if not self.leave():
            return False
        self.document.shelf.forget()
        try:
            rig = rig_file.open_known(path).rig
        except GremioError as problem:
            self._say(str(problem))
            return False
        self.models.read(rig)
        in_folder(path)
        name = f"{rig.name}, copy"
        self._show_rig(rename_rig(rig, name), None, saved=False)
        self._say(f"{name} is open. It has no file yet: {path.name} stays as it is.")
        return True

    def look_again(self) -> None:
        """Read the models behind the shapes anew; one that is only looked at is put away."""
        self.leave_model()
        self.document.shelf.forget()
        self.document.kits.forget()
        self.models.read(self.document.rig)
        self.document.compile_anew()

    def leave(self) -> bool:
        """Ask about unsaved work and put a model that is only looked at away; False to stay."""
        if not self.may_leave():
            return False
        self.leave_model()
        return True

    def open_kept(self, file: Path) -> bool:
        """Open a copy of unsaved work; the present rig stays when it can't be read."""
        if not self.leave():
            return False
        try:
            work = read_kept(file)
        except GremioError as problem:
            self._say(str(problem))
            return False
        self.document.shelf.forget()
        self.models.read(work.rig)
        held_by = self._held_by(work.original) if work.original else ""
        self._show_rig(work.rig, work.original, saved=False)
        self.document.held_by = held_by
        # Its file may be another one by now.
        self.document.on_disk = work.on_disk
        return True

    def open_path(self, path: Path) -> bool:
        """Open a rig; the present one stays when it can't be read."""
        if not self.leave():
            return False
        self.document.shelf.forget()
        lost: list[Note] = []
        opened: rig_file.Opened | None = None
        saved = True
        try:
            if path.suffix.lower() == ".urdf":
                from gremio.core.files.urdf_in import read_urdf

                rig, lost = read_urdf(path, self.document.shelf)
                saved = False
            else:
                opened = rig_file.open_file(path)
                rig = opened.rig
        except GremioError as problem:
            self._say(str(problem))
            return False
        self.models.read(rig)
        held_by = self._held_by(path) if saved else ""
        was_used(path) if saved else in_folder(path)
        self._show_rig(rig, path if saved else None, saved=saved, opened=opened)
        self.document.held_by = held_by
        if held_by:
            self._say(f"{held_by} It is open to be read only.")
            return True
        notes = [*lost, *self.document.looking.notes()]
        if opened is not None and opened.unknown:
            self._say(f"{rig_file.unknown_words(opened, path.name)} {_READ_ONLY}")
        elif notes:
            more = f" ({len(lost)} such things in {path.name}.)" if len(lost) > 1 else ""
            self._say(notes[0].text + more)
        return True

    def _held_by(self, path: Path) -> str:
        """Who else has a file open, so that it is opened to be read only; "" where nobody has, or
        that is said not to matter."""
        holder = self.lock.take(path)
        return "" if holder is None or self._opens_anyway(path, holder) else holder.told

    def _opens_anyway(self, path: Path, holder: Holder) -> bool:
        """Ask whether a file that somebody else has open is opened to be changed all the same."""
        anyway, look = "Open it all the same", "Open it to be read only"
        given = choose(
            self.window, "Open elsewhere", f"{path.name}: {holder.told}", (anyway, look), look,
            "What both save goes over what the other saved. To look at it, open it read only.",
        )  # fmt: skip
        if given != anyway:
            return False
        if not holder.sure:
            self.lock.take_over(path)
        return True

    def switch_previous(self) -> None:
        """Keep the file of before beside one that is saved, or no more."""
        keep = not self.document.keeps_previous
        try:
            keep_setting(_PREVIOUS, keep)
        except GremioError as problem:
            self._say(str(problem))
            return
        self.document.keeps_previous = keep
        does = "stays beside it, as name.gremio~" if keep else "is not kept any more"
        self._say(f"When a rig is saved, the file of before {does}.")

    def save(self) -> bool:
        """Save where it was opened from; ask where, the first time."""
        if self.document.held_by:
            self._say(f"{self.document.held_by} Save it as another file.")
            return False
        if self.document.read_only:
            self._say(f"{self.document.rig.name} is open to be read only. {_SAVE_AS}")
            return False
        if self.document.path is None:
            return self.save_as()
        return self.save_path(self.document.path)

    def save_as(self) -> bool:
        """Ask where to save."""
        opened = self.document.opened
        if opened is not None and opened.unknown and not self._may_lose():
            return False
        path = self._where("Save the rig", self.document.rig.name, "Gremio rigs", ".gremio")
        return path is not None and self.save_path(path)

    def save_path(self, path: Path, *, replace: bool = False) -> bool:
        """Save there; says why when it can't. replace: also where somebody else changed it. A rig
        that has no name takes its file's."""
        if self.document.rig.name == Rig().name and self.document.path is None:
            self.document.edit("name the rig", lambda rig: rename_rig(rig, path.stem))
        try:
            kept = self.document.save(path, replace=replace)
        except ChangedOnDisk as problem:
            return self._decide(path, str(problem))
        except GremioError as problem:
            self._say(str(problem))
            return False
        self.keeper.drop()
        was_used(path)
        self.document.held_by = ""
        holder = self.lock.take(path)
        others = f" {holder.told} They are asked before they save over it." if holder else ""
        older = f" The file of before is kept as {kept.name}." if kept else ""
        self._say(f"Saved as {path.name}.{older}{others}")
        return True

    def _decide(self, path: Path, problem: str) -> bool:
        """Ask what becomes of a file that somebody else changed."""
        other, replace, stay = "Save as another file", "Replace it", "Stay"
        given = choose(
            self.window, "Changed by somebody else", f"{problem} What should be done?",
            (other, replace, stay), other, self._differences(path),
        )  # fmt: skip
        if given == other:
            return self.save_as()
        return given == replace and self.save_path(path, replace=True)

    def _differences(self, path: Path) -> str:
        """What is in the file, and what is here."""
        try:
            there = rig_file.open_file(path).rig
        except GremioError as problem:
            return str(problem)
        found = differences(there, self.document.rig)
        if not found:
            return "It says the same as the rig here."
        more = [f"and {len(found) - _TOLD} more"] if len(found) > _TOLD else []
        return "\n".join(["Here, against what is in the file:", *found[:_TOLD], *more])

    def _may_lose(self) -> bool:
        """Ask whether a copy without what this Gremio does not know should be saved."""
        opened = self.document.opened
        assert opened is not None
        unknown = rig_file.unknown_words(opened, "The file")
        save, stay = "Save a copy without it", "Stay"
        text = f"{unknown} A copy that is saved here is without it."
        return choose(self.window, "What would be lost", text, (save, stay), stay) == save

    def may_leave(self) -> bool:
        """Ask what to do with unsaved work; False to stay."""
        if not self.document.changed:
            return True
        save, leave, stay = "Save", "Leave without saving", "Stay"
        text = f"{self.document.rig.name} has changes that are not saved."
        given = choose(self.window, "Unsaved work", text, (save, leave, stay), save)
        return self.save() if given == save else given == leave

    # ── models ─────────────────────────────────────────────────────

    def bring_in(self) -> None:
        """Ask for a model and show what it holds."""
        load_reader()
        path, _ = QFileDialog.getOpenFileName(
            self.window, "Bring in parts", self._models_folder(), _MODELS
        )
        if path:
            in_folder(Path(path))
            self.bring_in_path(Path(path))

    def _models_folder(self) -> str:
        """Where a model was chosen last, in this session or before; beside the rig else."""
        folder = last_folder()
        return str(folder) if folder != Path.home() else self._folder()

    def bring_in_path(self, path: Path) -> None:
        """Show on the Card what a model holds, and in the Bench where it would stand."""
        self.leave_model()
        self._before = self.document.rig
        self._on_ground, self._facing = False, "x"
        if not self._read(path, 1.0, None):
            self._before = None

    def _read(self, path: Path, metres: float, up: Up | None) -> bool:
        try:
            megabytes = path.stat().st_size / 1e6 if path.exists() else 0.0
            words = f"Reading {path.name}, {megabytes:.3g} MB"
            model = Reading(lambda tell: read_model(path, metres, up, tell).prepared(tell)).wait(
                self.window, words
            )
        except GremioError as problem:
            self._say(str(problem))
            return False
        if model is None:
            self._say(f"{path.name} is not brought in: reading it was stopped.")
            return self._model is not None
        self._model = model
        self._preview()
        return True

    def _preview(self) -> None:
        """Show the rig as it would be, without making a step of it."""
        assert self._model is not None and self._before is not None
        self.document.shelf.put(self._model)
        rig, _ = bring_in(self._before, self._model, on_ground=self._on_ground, facing=self._facing)
        self.bench.preview(rig)
        sheet = BringInSheet(self._model, self._on_ground, self._facing, self.card.inks)
        sheet.reread.connect(partial(self._read, self._model.path))
        sheet.ground.connect(self._set_ground)
        sheet.faced.connect(self._set_facing)
        sheet.accepted.connect(self.accept_model)
        sheet.left.connect(self.leave_model)
        self.card.show_instead(sheet)

    def _set_ground(self, on_ground: bool) -> None:
        self._on_ground = on_ground
        self._preview()

    def _set_facing(self, facing: str) -> None:
        self._facing = facing
        self._preview()

    def accept_model(self) -> None:
        """Make parts of the model shown."""
        model, on_ground, facing = self._model, self._on_ground, self._facing
        if model is None:
            return
        self._close_preview()
        count = len(model.nodes)

        def change(rig: Rig) -> tuple[Rig, ThingId]:
            rig, ids = bring_in(rig, model, on_ground=on_ground, facing=facing)
            return rig, ids[0]

        if self.document.make(f"bring in {model.path.name}", change):
            self.bench.show_all()
            self._say(
                f"{count} part{'s' if count != 1 else ''} brought in. "
                "Choose a joint on the Card, or press J."
            )

    def leave_model(self) -> None:
        """Bring nothing in."""
        if self._model is not None:
            self._close_preview()

    def _close_preview(self) -> None:
        self._model, self._before = None, None
        self.bench.preview(None)
        self.card.show_instead(None)

    def find_model(self) -> None:
        """Ask where a missing model is now, and take it up; one that has changed where it is is
        shown at once."""
        lost = self.document.shelf.lost(self.document.rig)
        self._take_up(ids.thing(lost[0]) if lost else self._which_model())

    def take_up_later(self) -> None:
        """Ask for a later model of one that is in the rig, and show what is otherwise in it."""
        self._take_up(self._which_model())

    def _take_up(self, source: ThingId) -> None:
        if not source:
            return
        there = Path(self.document.rig.sources[source].path)
        lost = source in self.document.shelf.lost(self.document.rig)
        if lost and there.exists():
            self.take_up_path(source, there)
            return
        load_reader()
        path, _ = QFileDialog.getOpenFileName(
            self.window, f"Find {there.name}", self._folder(), _MODELS
        )
        if path:
            self.take_up_path(source, Path(path))

    def _which_model(self) -> ThingId:
        """Which model a later one is asked for: that of the selected part, where it is of one;
        else the only one, or which of several is asked. None where nothing is meant."""
        rig = self.document.rig
        if not rig.sources:
            self._say("This rig has no models from files: nothing to find.")
            return ids.NOTHING
        for part in reversed(self.document.chosen_parts):
            for shape in rig.parts[part].shapes:
                if isinstance(shape.solid, Mesh) and shape.solid.source in rig.sources:
                    return shape.solid.source
        names = {Path(source.path).name: i for i, source in rig.sources.items()}
        if len(names) == 1:
            return next(iter(rig.sources))
        stay = "Stay"
        given = choose(self.window, "Which model", "Of which model is there a later one?",
                       (*names, stay), next(iter(names)))  # fmt: skip
        return names.get(given, ids.NOTHING)

    def take_up_path(self, source: ThingId, path: Path) -> None:
        """Show what a model file has otherwise than a source of the rig had, to be taken up by
        choice; where it has nothing otherwise, it is taken up at once."""
        from gremio.core.files.taking_up import revised

        entry = self.document.rig.sources[source]
        before = self.document.shelf.model(entry)
        try:
            words = f"Reading {path.name}"
            model = Reading(
                lambda tell: read_model(path, entry.metres, entry.up, tell).prepared(tell)
            ).wait(self.window, words)
        except GremioError as problem:
            self._say(str(problem))
            return
        if model is None:
            self._say(f"{path.name} is not taken up: reading it was stopped.")
            return
        self.document.shelf.put(model)
        if self.taking.of_model(source, model, before):
            return
        self.document.edit(
            f"take up {path.name}",
            lambda rig: revised(rig, source, model, [], before=before)[0],
        )
        self._say(f"{path.name} is taken up: nothing in it is otherwise.")
