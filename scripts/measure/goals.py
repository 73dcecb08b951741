"""What measurements should come to, and which do not."""

from __future__ import annotations

import re
from typing import NamedTuple

from measuring import Row


class Goal(NamedTuple):
    """about: how a row begins. column: which of its numbers counts: Gremio's own, or the ratio.
    most: what it may be; least: it should be that at least."""

    about: str
    column: str
    most: float
    least: bool = False


OWN, RATIO = "own", "ratio"
GOALS = (
    Goal("(a) one pose, 100 hinged", RATIO, 3.0),
    Goal("(a) one pose, 1,000 hinged", RATIO, 1.2),
    Goal("(a) one pose, 10,000 hinged", RATIO, 0.8),
    Goal("(a) growth from 1,000 to 10,000", RATIO, 10.5),
    Goal("(a) a pose of the demo", OWN, 3.0),
    Goal("(e) channels of 10,000 formulas of three leads, one pose", RATIO, 2.0),
    Goal("(e) channels of 10,000 formulas of three leads, 240", RATIO, 3.0),
    Goal("(i) channels of 1,000 cams of 8 stations and 5 followers, one", RATIO, 3.0),
    Goal("(i) channels of 1,000 cams of 8 stations and 5 followers, 240", RATIO, 1.0),
    Goal("(k) 200 four-bars in one rig", RATIO, 2.0),
    Goal("(l) 500 parts seated", RATIO, 1.0),
    Goal("(n) running totals of 1,000 motors", RATIO, 5.0),
    Goal("(n) a routine of 200 keyed channels scrubbed", RATIO, 1.2),
    Goal("(n) a tread of 200 links", RATIO, 1.2),
    Goal("(g) compiling 10,000 parts", OWN, 1000.0),
    Goal("(c) Bench frame while it moves", RATIO, 1.2),
    Goal("(c) Bench frame at rest", RATIO, 2.5),
    Goal("(d) process start to the first picture, with an empty rig", RATIO, 1.5),
    Goal("(d) process start to the first picture, with the demo", RATIO, 1.6),
    Goal("(d) process start to the first drag", RATIO, 2.5),
    Goal("(d) `gremio pose` on the demo", OWN, 0.6),
    Goal("(m) an edit on the demo", OWN, 50.0),
    Goal("(m) an edit among 1,000 cams", OWN, 50.0),
    Goal("(m) an edit among 10,000 links", OWN, 50.0),
    Goal("(p) a copy of 1,000", OWN, 1.0),
    Goal("(p) a twin of 1,000", OWN, 1.0),
    Goal("(p) a kit kept", OWN, 1.0),
    Goal("(p) a kit of 1,000", OWN, 1.0),
    Goal("(p) two rigs of 10,000 parts", OWN, 2.0),
    Goal("(p) a later model", RATIO, 2.0),
    Goal("(q) reading 900,000", RATIO, 2.0),
    Goal("(q) reading 1,960,000", RATIO, 2.0),
    Goal("(q) the window while", OWN, 50.0),
    Goal("(q) the first full frame", OWN, 1.0),
    Goal("(q) memory of", RATIO, 3.0),
    Goal("(r) memory of the window", OWN, 250.0),
)  # fmt: skip


def number(cell: str) -> float | None:
    """The number with which a cell of a row begins."""
    found = re.match(r"-?[\d,]+(?:\.\d+)?", cell)
    return float(found[0].replace(",", "")) if found else None


def goal_of(row: Row) -> Goal | None:
    """What a row should come to, if anything."""
    return next((goal for goal in GOALS if row[0].startswith(goal.about)), None)


def is_missed(row: Row) -> bool:
    """Whether a row has a goal, and does not come to it."""
    goal = goal_of(row)
    if goal is None:
        return False
    value = number(row[2] if goal.column == OWN else row[4])
    return value is None or (value < goal.most if goal.least else value > goal.most)


def words(goal: Goal | None) -> str:
    """A goal as a table has it."""
    if goal is None:
        return ""
    return f"{'≥' if goal.least else '≤'} {goal.most:g}{' ×' if goal.column == RATIO else ''}"
