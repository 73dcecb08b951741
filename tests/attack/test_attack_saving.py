"""Saving that is killed, and that finds no room: the file is the older one, or the newer."""

from __future__ import annotations

import os
import resource
import signal
import subprocess
import sys
import time
from pathlib import Path

from tests.attack.conftest import Rounds

import gremio
from gremio.core.files.atomic import previous_of
from gremio.core.rig.model import Rig
from gremio.desktop.shell.recovery import Keeper, read_kept

_SAVES = """
import sys, itertools
from pathlib import Path
import gremio
from gremio.core.files import rig_file
from msgspec.structs import replace
rig = gremio.load(sys.argv[1])
print("ready", flush=True)
for number in itertools.count():
    rig_file.write(replace(rig, name=f"Save {number}"), Path(sys.argv[1]), keep_previous=True)
"""
_KEEPS = """
import sys, itertools
from pathlib import Path
import gremio
from gremio.desktop.shell.recovery import Keeper, Work
from msgspec.structs import replace
rig = gremio.load(sys.argv[1])
keeper = Keeper(Path(sys.argv[2]))
keeper.keep(Work(replace(rig, name="Kept 0")))
print("ready", flush=True)
for number in itertools.count(1):
    keeper.keep(Work(replace(rig, name=f"Kept {number}")))
"""


def killed(program: str, seconds: float, *words: object) -> None:
    """Run a program that says it is ready, and kill it so long after."""
    going = subprocess.Popen(
        [sys.executable, "-c", program, *map(str, words)], stdout=subprocess.PIPE, text=True
    )
    assert going.stdout is not None and going.stdout.readline() == "ready\n"
    time.sleep(seconds)
    going.send_signal(signal.SIGKILL)
    going.wait()


def test_kills_while_saving(rounds: Rounds, lock: Rig, tmp_path: Path) -> None:
    file = tmp_path / "lock.gremio"
    gremio.save(lock, file)
    for rng in rounds(4):
        killed(_SAVES, rng.uniform(0.0, 0.3), file)
        for one in (file, previous_of(file)):
            if one.exists():
                assert gremio.load(one).parts == lock.parts
        gremio.save(lock, file)
        assert not [left for left in tmp_path.iterdir() if "scratch" in left.name]


def test_kills_while_keeping_aside(rounds: Rounds, lock: Rig, tmp_path: Path) -> None:
    gremio.save(lock, tmp_path / "lock.gremio")
    for number, rng in enumerate(rounds(3)):
        aside = tmp_path / f"aside {number}"
        killed(_KEEPS, rng.uniform(0.0, 0.3), tmp_path / "lock.gremio", aside)
        (left,) = Keeper(aside).leftovers()
        for copy in left.files:
            assert read_kept(copy).rig.parts == lock.parts


def test_a_disk_that_is_full(rounds: Rounds, lock: Rig, tmp_path: Path) -> None:
    """No file may be longer than so much, as where there is no more room."""
    file = tmp_path / "lock.gremio"
    gremio.save(lock, file)
    whole = file.read_bytes()
    program = (
        "import sys, resource, signal; signal.signal(signal.SIGXFSZ, signal.SIG_IGN)\n"
        "import gremio; from msgspec.structs import replace\n"
        "rig = gremio.load(sys.argv[1])\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (int(sys.argv[2]),) * 2)\n"
        "try: gremio.save(replace(rig, name='New'), sys.argv[1])\n"
        "except gremio.GremioError as told: print(told)\n"
    )
    assert resource.getrlimit(resource.RLIMIT_FSIZE)
    for rng in rounds(3):
        room = rng.randrange(len(whole) - 100)
        done = subprocess.run(
            [sys.executable, "-c", program, str(file), str(room)],
            capture_output=True, text=True, check=True, env={**os.environ},
        )  # fmt: skip
        assert "could not be saved" in done.stdout and "is as it was" in done.stdout
        assert file.read_bytes() == whole and [p.name for p in tmp_path.iterdir()] == [file.name]
