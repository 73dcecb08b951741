"""What is kept, what is replaced, and who else has a file: in the real window and beside it."""

from __future__ import annotations

import fcntl
import json
import os
import signal
import stat
import subprocess
import sys
import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PyQt6.QtWidgets import QFileDialog
from tests.desktop.hand import Hand, answer

import gremio
from gremio.core.files import atomic, rig_file
from gremio.core.files.atomic import FileProblem, previous_of
from gremio.core.rig.find import channel_key
from gremio.core.rig.model import Rig
from gremio.desktop.fields.save_where import safe_name, with_ending
from gremio.desktop.shell.crash import Reports
from gremio.desktop.shell.file_lock import FileLock
from gremio.desktop.shell.recovery import COPIES, Keeper, Work, read_kept

# ── names and endings ──


@pytest.mark.parametrize(
    ("typed", "saved"),
    [("lock v1.2", "lock v1.2.gremio"), ("lock.gremio", "lock.gremio"), ("a.GREMIO", "a.GREMIO"),
     ("lock.", "lock.gremio"), ("lock.glb", "lock.glb.gremio")],
)  # fmt: skip
def test_an_ending_is_put_on_and_nothing_of_the_name_is_lost(typed: str, saved: str) -> None:
    assert with_ending(Path("/x") / typed, ".gremio") == Path("/x") / saved


def test_names_of_things_make_names_of_files() -> None:
    assert safe_name("Gate: upper/east?") == "Gate- upper-east-"
    assert safe_name("...") == "untitled" and len(safe_name("ü" * 400).encode()) <= 200


def test_another_file_is_replaced_only_when_that_is_said(
    at_lock: Hand, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What a person types has no ending, and the file of that name with its ending is there."""
    window = at_lock.window
    there = tmp_path / "lock v1.2.gremio"
    gremio.save(Rig(name="Precious"), there)
    typed = [str(tmp_path / "lock v1.2"), ""]
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (typed.pop(0), ""))
    asked = answer("Choose another name")
    assert not window.files.save_as()
    assert asked and "lock v1.2.gremio is in" in asked[0] and not typed
    assert gremio.load(there).name == "Precious"
    typed += [str(tmp_path / "lock v1.2")]
    answer("Replace it")
    assert window.files.save_as()
    assert gremio.load(there) == window.document.rig
    assert gremio.load(previous_of(there)).name == "Precious"


# ── saving ──


def test_saving_follows_a_link_and_keeps_mode_and_attributes(tmp_path: Path) -> None:
    real = tmp_path / "real.gremio"
    gremio.save(Rig(name="One"), real)
    os.chmod(real, 0o640)
    attributes = True
    try:
        os.setxattr(real, "user.note", b"ours")
    except OSError:
        attributes = False
    link = tmp_path / "link.gremio"
    link.symlink_to(real)
    rig_file.write(Rig(name="Two"), link, keep_previous=True)
    assert link.is_symlink() and gremio.load(real).name == "Two"
    assert stat.S_IMODE(real.stat().st_mode) == 0o640
    assert not attributes or os.getxattr(real, "user.note") == b"ours"
    assert gremio.load(previous_of(real)).name == "One"
    assert not [p for p in tmp_path.iterdir() if "scratch" in p.name]


def test_a_read_only_file_and_what_is_no_file_are_refused_with_the_reason(tmp_path: Path) -> None:
    file = tmp_path / "kept.gremio"
    gremio.save(Rig(name="One"), file)
    os.chmod(file, 0o444)
    with pytest.raises(FileProblem, match=r"kept.gremio is read-only. Make it writable"):
        gremio.save(Rig(name="Two"), file)
    assert gremio.load(file).name == "One"
    os.mkfifo(tmp_path / "pipe.gremio")
    with pytest.raises(FileProblem, match="no plain file"):
        gremio.save(Rig(), tmp_path / "pipe.gremio")
    with pytest.raises(FileProblem, match="no plain file"):
        gremio.load(tmp_path / "pipe.gremio")
    with pytest.raises(FileProblem, match="folder is not there"):
        gremio.save(Rig(), tmp_path / "gone" / "a.gremio")
    with pytest.raises(FileProblem, match="shorter name"):
        gremio.save(Rig(), tmp_path / ("a" * 300 + ".gremio"))


def test_what_killed_saves_left_is_cleaned_up_and_what_is_being_written_is_not(
    tmp_path: Path,
) -> None:
    dead = tmp_path / ".lock.gremio.abc.gremio-scratch"
    alive = tmp_path / ".lock.gremio.def.gremio-scratch"
    other = tmp_path / ".other.gremio.def.gremio-scratch"
    for file in (dead, alive, other):
        file.write_bytes(b"half")
    with alive.open("rb") as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        atomic.write(tmp_path / "lock.gremio", b"whole")
    assert not dead.exists() and alive.exists() and other.exists()


def test_the_switch_of_the_previous_save(at_lock: Hand, tmp_path: Path) -> None:
    window = at_lock.window
    file = tmp_path / "lock.gremio"
    assert window.files.save_path(file)
    window.files.switch_previous()
    assert "not kept any more" in at_lock.said[-1] and not window.document.keeps_previous
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.4)
    assert window.files.save_path(file) and not previous_of(file).exists()
    window.files.switch_previous()
    window.document.move(channel_key(window.document.rig, "Upper gates"), 0.5)
    assert window.files.save_path(file) and previous_of(file).exists()


# ── two at one file ──


def test_a_change_on_disk_is_noticed_before_saving(at_lock: Hand, tmp_path: Path) -> None:
    window, document = at_lock.window, at_lock.window.document
    file = tmp_path / "lock.gremio"
    assert window.files.save_path(file)
    theirs = replace(document.rig, name="Theirs", controls={})
    gremio.save(theirs, file)
    document.move(channel_key(document.rig, "Upper gates"), 0.5)
    asked = answer("Stay")
    assert not window.files.save()
    assert "was changed by somebody else" in asked[0]
    assert "added control Upper gates" in asked[0] and "named" in asked[0]
    assert gremio.load(file) == theirs and document.changed
    answer("Replace it")
    assert window.files.save()
    assert gremio.load(file).name != "Theirs" and not document.changed
    assert gremio.load(previous_of(file)).name == "Theirs"
    # What this window saved itself is no change of somebody else.
    document.move(channel_key(document.rig, "Upper gates"), 0.6)
    assert window.files.save()


def test_a_file_that_is_open_elsewhere_is_opened_to_be_read_only(
    at_lock: Hand, tmp_path: Path
) -> None:
    window, document = at_lock.window, at_lock.window.document
    file = tmp_path / "shared.gremio"
    gremio.save(Rig(name="Shared"), file)
    elsewhere = FileLock()
    assert elsewhere.take(file) is None
    asked = answer("Open it to be read only")
    assert window.files.open_path(file)
    assert "has it open since" in asked[0] and document.read_only
    document.edit("name", lambda rig: replace(rig, name="Mine"))
    assert not window.files.save() and "Save it as another file" in at_lock.said[-1]
    assert window.files.save_path(tmp_path / "mine.gremio") and not document.read_only
    elsewhere.let_go()
    assert window.files.open_path(file) and not document.read_only
    assert elsewhere.take(file) is not None
    window.files.new()
    assert elsewhere.take(file) is None
    elsewhere.let_go()


def test_a_holder_on_another_machine_can_not_be_proved_gone_and_is_asked_about(
    tmp_path: Path,
) -> None:
    file = tmp_path / "far.gremio"
    place = tmp_path / ".far.gremio.lock"
    about = {"user": "mo", "host": "elsewhere", "since": "Monday"}
    place.write_text(json.dumps(about))
    lock = FileLock()
    holder = lock.take(file)
    assert holder is not None and not holder.sure
    assert holder.told == "mo on elsewhere had it open, and may have still, since Monday."
    lock.take_over(file)
    assert FileLock().take(file) is not None
    lock.let_go()
    assert not place.exists()


# ── kept aside ──


def test_it_is_kept_in_time_however_fast_the_hand(at_lock: Hand) -> None:
    """A hand that never rests: something is aside within ten seconds."""
    window = at_lock.window
    gates = channel_key(window.document.rig, "Upper gates")
    began = time.monotonic()
    step = 0
    while not window.keeper.files and time.monotonic() - began < 14:
        step += 1
        window.document.move(gates, 0.2 + 0.001 * (step % 400))
        at_lock.rest(120)
    assert window.keeper.files and time.monotonic() - began < 10


def test_the_last_copies_are_kept_and_one_that_is_broken_is_passed_over(tmp_path: Path) -> None:
    keeper = Keeper(tmp_path)
    for number in range(5):
        keeper.keep(Work(Rig(name=f"Rig {number}"), tmp_path / "a.gremio", "abc"))
    assert len(keeper.files) == COPIES
    keeper.files[0].write_bytes(b"\x00broken")
    (keeper.files[1]).write_bytes(keeper.files[1].read_bytes()[:-4])
    (tmp_path / "junk").mkdir()
    (tmp_path / "junk" / "1.kept").write_bytes(b'{"what": 3}\n')
    assert Keeper(tmp_path).leftovers() == []
    assert keeper._lock is not None
    keeper._lock.close()
    (left,) = Keeper(tmp_path).leftovers()
    assert left.name == "Rig 2" and left.original == tmp_path / "a.gremio"
    assert read_kept(left.files[0]) == Work(Rig(name="Rig 2"), tmp_path / "a.gremio", "abc")


def test_work_is_kept_when_the_system_ends_the_program(lock: Rig, tmp_path: Path) -> None:
    """SIGTERM to a real process, with a change that nothing has kept yet."""
    gremio.save(lock, tmp_path / "lock.gremio")
    program = """
import sys
from PyQt6.QtCore import QTimer
from gremio.desktop.shell import app
from pathlib import Path

made = app.make_window

def make(file=None, **more):
    window = made(file, **more)
    def change():
        document = window.document
        document.move(next(iter(document.rig.controls)), 0.3)
        print("ready", flush=True)
    QTimer.singleShot(300, change)
    return window

app.make_window = make
sys.exit(app.run(Path(sys.argv[1])))
"""
    state = tmp_path / "state"
    going = subprocess.Popen(
        [sys.executable, "-c", program, str(tmp_path / "lock.gremio")],
        env={**os.environ, "XDG_STATE_HOME": str(state)}, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert going.stdout is not None and going.stdout.readline() == "ready\n"
    going.send_signal(signal.SIGTERM)
    assert going.wait(30) == 0
    (left,) = Keeper(state / "gremio" / "unsaved").leftovers()
    kept = read_kept(left.files[0])
    assert kept.original == tmp_path / "lock.gremio" and kept.rig.at != lock.at


# ── faults ──


def test_a_fault_leaves_a_report_without_the_rig_in_it(tmp_path: Path) -> None:
    reports = Reports(tmp_path)
    try:
        raise ValueError("odd")
    except ValueError as error:
        report = reports.write(error, ["move", "rename"])
    assert report is not None
    text = report.read_text()
    assert "ValueError: odd" in text and "numpy" in text and "  move\n  rename" in text


def test_a_hard_end_is_told_the_next_time_and_once(tmp_path: Path) -> None:
    program = (
        "import sys, faulthandler; from pathlib import Path;"
        "from gremio.desktop.shell.crash import Reports; r = Reports(Path(sys.argv[1]));"
        "r.begin(); faulthandler._sigsegv()"
    )
    done = subprocess.run([sys.executable, "-c", program, str(tmp_path)], check=False)
    assert done.returncode != 0
    report = Reports(tmp_path).untold()
    assert report is not None and "Segmentation fault" in report.read_text()
    assert Reports(tmp_path).untold() is None
    calm = Reports(tmp_path)
    calm.begin()
    calm.end()
    assert Reports(tmp_path).untold() is None
