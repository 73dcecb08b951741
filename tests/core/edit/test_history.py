from __future__ import annotations

import pytest
from msgspec.structs import replace

from gremio.core.edit import history as keeping
from gremio.core.edit.history import History, beside
from gremio.core.rig.model import Part, Rig


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
    assert [step.what for step in history.done] == ["drag", "drag"]
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


def test_no_more_steps_are_kept_than_may_be_and_the_others_are_counted(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(keeping, "MOST_STEPS", 3)
    history = History(named("0"))
    for step in range(1, 6):
        history = history.did(f"step {step}", named(str(step)))
    assert [step.what for step in history.done] == ["step 3", "step 4", "step 5"]
    assert history.lost == 2 and history.undo().redo().lost == 2
    # A drag under way is one step however long it takes.
    for step in range(9):
        history = history.did("drag", named(f"d{step}"), gesture="drag x")
    assert len(history.done) == 3 and history.lost == 3
    assert history.undo().rig.name == "5"


def test_steps_are_bounded_in_bytes_but_the_last_is_always_kept(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    parts = {f"p{i}": Part(f"Part {i}") for i in range(200)}
    rig = Rig(parts=parts)
    history = History(rig)
    size = beside(rig, replace(rig, parts={**parts, "p7": Part("Seven")}))
    assert beside(rig, replace(rig, name="Other")) == 0
    monkeypatch.setattr(keeping, "MOST_BYTES", int(3.5 * size))
    for step in range(8):
        rig = replace(rig, parts={**rig.parts, "p7": Part(f"Name {step}")})
        history = history.did(f"step {step}", rig)
    assert [step.what for step in history.done] == ["step 5", "step 6", "step 7"]
    assert history.lost == 5
    monkeypatch.setattr(keeping, "MOST_BYTES", 1)
    history = history.did("last", replace(rig, parts={}))
    assert [step.what for step in history.done] == ["last"]
    assert len(history.undo().rig.parts) == 200
