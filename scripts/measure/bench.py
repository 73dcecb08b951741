"""The measurements: ratios against named libraries in the same run, a table of them with what they
should come to, and a history.

usage: python scripts/measure/bench.py [LETTER ...], of the rows that are measured; all without.
Writes docs/measurements.md, and adds to docs/measurements.csv. Needs a screen (make bench gives it
a virtual one).
"""

from __future__ import annotations

import csv
import datetime
import json
import os
import platform
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import again
import drawing
import linkages
import over_time
import poses
import starting
from goals import goal_of, is_missed, words
from measuring import HINGES_A_CONTROL, Row

ROOT = Path(__file__).parents[2]
TABLE, HISTORY = ROOT / "docs" / "measurements.md", ROOT / "docs" / "measurements.csv"
HEAD = ("what", "against", "Gremio", "the other", "ratio")


def apart(script: str, *about: str) -> list[Row]:
    """A measurement made in a process of its own: a window and a picture without one do not
    share their OpenGL."""
    command = [sys.executable, str(Path(__file__).with_name(script)), *about]
    done = subprocess.run(command, check=True, timeout=1200, capture_output=True, text=True)
    return [tuple(row) for row in json.loads(done.stdout.splitlines()[-1])]


SUBJECTS: dict[str, tuple[Callable[[], list[Row]], ...]] = {
    "a": (poses.solving, poses.demo, poses.growth),
    "e": (poses.formulas,),
    "f": (poses.trains,),
    "g": (poses.compiling,),
    "i": (poses.cams,),
    "k": (linkages.linkages,),
    "l": (linkages.seats,),
    "c": (drawing.drawing,),
    "h": (lambda: apart("window.py", "ledger"),),
    "j": (lambda: apart("window.py", "dragging"),),
    "m": (lambda: apart("editing.py"),),
    "n": (over_time.over_time, lambda: apart("scrubbing.py")),
    "d": (starting.starting, starting.posing),
    "p": (again.again,),
    "q": (lambda: apart("models.py"),),
    "r": (lambda: apart("memory.py"),),
}


def main() -> None:
    """Measure, print, write the table, and say which goals are missed."""
    asked = [letter for letter in SUBJECTS if letter in sys.argv[1:]] or list(SUBJECTS)
    rows = [row for letter in asked for measure in SUBJECTS[letter] for row in measure()]
    _remember(rows)
    if len(asked) == len(SUBJECTS):
        TABLE.write_text(_text(rows))
    else:
        TABLE.write_text(_with_rows(TABLE.read_text(), asked, rows))
    for row in rows:
        print("; ".join((*row, words(goal_of(row)))))
    missed = [row for row in rows if is_missed(row)]
    print(f"{len(missed)} of {sum(goal_of(row) is not None for row in rows)} goals are missed.")
    for row in missed:
        print(f"missed: {row[0]}: {row[2]}, {row[4]} ({words(goal_of(row))})")


def _about() -> tuple[str, str, str]:
    """When, of which commit, and on what machine it is measured."""
    when = datetime.datetime.now(tz=datetime.UTC).date().isoformat()
    asked = ["git", "rev-parse", "--short", "HEAD"]
    told = subprocess.run(asked, cwd=ROOT, capture_output=True, text=True, check=False)
    machine = f"{os.cpu_count()} cores, {platform.machine()}, Python {platform.python_version()}"
    return when, told.stdout.strip(), machine


def _remember(rows: list[Row]) -> None:
    """Add what was measured to the history."""
    new = not HISTORY.exists()
    with HISTORY.open("a", newline="") as file:
        write = csv.writer(file)
        if new:
            write.writerow(("date", "commit", "machine", *HEAD, "goal"))
        write.writerows((*_about(), *row, words(goal_of(row))) for row in rows)


def _lines(rows: list[Row]) -> list[str]:
    """Rows of the table."""
    missed = [" **missed**" if is_missed(row) else "" for row in rows]
    every = [(*row, words(goal_of(row)) + word) for row, word in zip(rows, missed, strict=True)]
    return ["| " + " | ".join(row) + " |" for row in every]


def _with_rows(text: str, letters: list[str], rows: list[Row]) -> str:
    """The table with those rows that were measured once more, and when that was."""
    again = {letter: [row for row in rows if _letter(row[0]) == letter] for letter in letters}
    made: list[str] = []
    for line in text.rstrip().splitlines():
        letter = _letter(line.removeprefix("| ")) if line.startswith("| (") else ""
        if letter not in again:
            made.append(line)
        elif again[letter]:
            made += _lines(again.pop(letter))
            again[letter] = []
    when, commit, _ = _about()
    told = ", ".join(f"({letter})" for letter in letters)
    return "\n".join(
        [*made, "", f"The rows {told} were measured once more on {when} at {commit}.", ""]
    )


def _letter(what: str) -> str:
    """The letter of a row; (b) is measured with (a)."""
    return "a" if what[1:2] == "b" else what[1:2]


def _text(rows: list[Row]) -> str:
    lines = ["| " + " | ".join(row) + " |" for row in ((*HEAD, "goal"), ("---",) * 6)]
    lines += _lines(rows)
    when, commit, machine = _about()
    return "\n".join(
        [
            "# Measurements",
            "",
            f"Made by `make bench` on {when} at {commit}; {machine}, software OpenGL (llvmpipe), "
            "shared and noisy, so the ratios count and the times do not. All but (d), (j), (m), "
            "(q) and (r) are the least of many runs taken in turns; (d) is the median of seven. In "
            f"(a) and (b) each control leads {HINGES_A_CONTROL} hinges, and world frames agree to "
            "1e-9. What was measured before is in `measurements.csv`.",
            "",
            *lines,
            "",
        ]
    )


if __name__ == "__main__":
    main()
