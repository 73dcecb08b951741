from __future__ import annotations

from msgspec.structs import replace

from gremio.core.edit.history import History
from gremio.core.rig.model import Rig


def named(name: str) -> Rig:
    return Rig(name=name)


def test_undo_and_redo_go_through_the_same_rigs() -> None:
    history = History(named("a")).did("first", named("b")).did("second", named("c"))
    assert history.undo_name == "second"
    back = history.undo().undo()
    assert back.rig.name == "a" and back.undo_name == "" and back.redo_name == "first"
    assert back.redo().redo().rig.name == "c"


def test_a_gesture_is_one_step_until_it_settles() -> None:
    history = History(named("0"))
    for step in range(1, 6):
        history = history.did("drag", named(str(step)), gesture="drag x")
    assert len(history.done) == 1
    history = history.settled().did("drag", named("6"), gesture="drag x")
    assert [what for what, _ in history.done] == ["drag", "drag"]
    assert history.undo().rig.name == "5"


def test_a_new_edit_forgets_what_was_undone() -> None:
    history = History(named("a")).did("one", named("b")).undo().did("two", named("c"))
    assert history.redo_name == "" and history.rig.name == "c"


def test_an_edit_that_changes_nothing_is_no_step() -> None:
    rig = named("a")
    assert History(rig).did("nothing", rig).done == ()


def test_undo_with_nothing_done_stays() -> None:
    history = History(replace(named("a")))
    assert history.undo() is history and history.redo() is history
