"""Changes the core in small ways, one at a time, and tells which of them no test notices.

usage: scripts/mutants.py [--count 200] [--seed 1] [--room build/mutants] [--only PATH …]

A change is an operator, a number, a condition or a return: those of `mutmut`'s table, and a
condition turned round, and a return of nothing. They are drawn at random from all that can be made
in src/gremio/core. First all tests of the core and the command line are run under `coverage`, which
tells which tests go through which lines; those are run for a change there. What is compiled is not
seen by it: for that all tests of what uses it are run.
"""

from __future__ import annotations

import argparse
import difflib
import json
import os
import queue
import random
import shutil
import subprocess
import sys
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import libcst as cst
from coverage import CoverageData
from libcst.metadata import MetadataWrapper, PositionProvider
from mutmut.mutation.mutators import (
    operator_if_exp,
    operator_keywords,
    operator_name,
    operator_number,
    operator_remove_unary_ops,
    operator_swap_op,
)

HERE = Path(__file__).parent.parent
CORE = "src/gremio/core"
TESTS = ("tests/core", "tests/command", "tests/demo")
WORKERS, MOST = 2, 600
_NO_CACHE = "no:cacheprovider"
_OPERATORS = (
    (cst.BaseNumber, operator_number),
    (cst.Name, operator_name),
    (cst.UnaryOperation, operator_remove_unary_ops),
    (cst.CSTNode, operator_keywords),
    (cst.CSTNode, operator_swap_op),
    (cst.IfExp, operator_if_exp),
)


@dataclass(frozen=True)
class Change:
    """One change. path: of the file, from the root of the tree. lines: those it is in; around:
    those of the function that it is in. code: the whole file with it."""

    path: str
    lines: range
    around: range
    code: str

    def told(self) -> str:
        """As a difference of one line or a few."""
        before = (HERE / self.path).read_text().splitlines()
        after = self.code.splitlines()
        lines = difflib.unified_diff(before, after, lineterm="", n=0)
        return "\n".join(line for line in lines if not line.startswith(("---", "+++", "@@")))


class _Places(cst.CSTVisitor):
    """Collects what can be changed in a file: a node, and what takes its place. Types, docstrings,
    and what is run on import only, are left out."""

    def __init__(self) -> None:
        self.found: list[tuple[cst.CSTNode, cst.CSTNode, cst.FunctionDef]] = []
        self._functions: list[cst.FunctionDef] = []

    def on_leave(self, original_node: cst.CSTNode) -> None:
        if isinstance(original_node, cst.FunctionDef):
            self._functions.pop()

    def on_visit(self, node: cst.CSTNode) -> bool:
        if isinstance(node, cst.Annotation | cst.Decorator):
            return False
        if self._functions:
            inside = self._functions[-1]
            for kind, made in _OPERATORS:
                if isinstance(node, kind):
                    self.found += [(node, new, inside) for new in made(node)]
            if isinstance(node, cst.If | cst.While):
                turned = cst.UnaryOperation(
                    cst.Not(),
                    node.test.with_changes(lpar=[cst.LeftParen()], rpar=[cst.RightParen()]),
                )
                self.found.append((node.test, turned, inside))
            if isinstance(node, cst.Return) and node.value is not None:
                self.found.append((node.value, cst.Name("None"), inside))
        if isinstance(node, cst.FunctionDef):
            self._functions.append(node)
        return True


def changes_of(path: Path, those: set[int]) -> Iterator[Change]:
    """Some of the changes that can be made in a file, by their places among all of them."""
    wrapper = MetadataWrapper(cst.parse_module(path.read_text()))
    places = _Places()
    wrapper.module.visit(places)
    spots = wrapper.resolve(PositionProvider)

    def lines(node: cst.CSTNode) -> range:
        return range(spots[node].start.line, spots[node].end.line + 1)

    for node, new, inside in (places.found[place] for place in sorted(those)):
        code = wrapper.module.deep_replace(node, new).code
        yield Change(str(path.relative_to(HERE)), lines(node), lines(inside), code)


def sample(count: int, seed: int, only: list[str]) -> list[Change]:
    """So many changes at random, of all files or of some."""
    files = sorted((HERE / CORE).rglob("*.py"))
    if only:
        files = [file for file in files if any(part in str(file) for part in only)]
    counts = []
    for file in files:
        places = _Places()
        cst.parse_module(file.read_text()).visit(places)
        counts.append(len(places.found))
    picked = random.Random(seed).sample(range(sum(counts)), min(count, sum(counts)))
    found, start = [], 0
    for file, many in zip(files, counts, strict=True):
        mine = {i - start for i in picked if start <= i < start + many}
        start += many
        if mine:
            found += changes_of(file, mine)
    print(f"{len(found)} of {sum(counts)} changes in {len(files)} files")
    return found


def tree(room: Path, name: str) -> Path:
    """A copy of the source and its tests to change."""
    place = room / name
    if place.exists():
        shutil.rmtree(place)
    place.mkdir(parents=True)
    for part in ("src", "tests", "pyproject.toml", "docs", "scripts", "README.md"):
        origin = HERE / part
        if origin.is_dir():
            shutil.copytree(origin, place / part, ignore=shutil.ignore_patterns("__pycache__"))
        else:
            shutil.copy(origin, place / part)
    return place


def environment(place: Path) -> dict[str, str]:
    """What tests in a copy are run with."""
    more = {"PYTHONPATH": f"{place / 'src'}:{place}", "PYTHONDONTWRITEBYTECODE": "1"}
    return {**os.environ, **more}


def lines_by_test(room: Path) -> dict[str, dict[int, list[str]]]:
    """The tests that go through each line, by file; from one run of all of them."""
    kept = room / "lines.json"
    if kept.exists():
        read = json.loads(kept.read_text())
        return {p: {int(i): tests for i, tests in lines.items()} for p, lines in read.items()}
    place = tree(room, "seen")
    (place / ".coveragerc").write_text(
        f"[run]\ndynamic_context = test_function\nsource = {place / CORE}\nparallel = true\n"
    )
    files = sorted(str(f.relative_to(place)) for t in TESTS for f in (place / t).rglob("test_*.py"))
    runs = [
        subprocess.Popen(
            [sys.executable, "-m", "coverage", "run", "-m", "pytest", "-q", "-p", _NO_CACHE,
             *files[i::WORKERS]],
            cwd=place, env=environment(place), stdout=(room / f"seen{i}.log").open("w"),
        )
        for i in range(WORKERS)
    ]  # fmt: skip
    ended = [run.wait() for run in runs]
    if any(ended):
        sys.exit(
            f"Some tests fail before anything is changed: see seen0.log and seen1.log in {room}."
        )
    found: dict[str, dict[int, list[str]]] = {}
    for file in place.glob(".coverage.*"):
        data = CoverageData(str(file))
        data.read()
        for path in data.measured_files():
            lines = found.setdefault(str(Path(path).relative_to(place)), {})
            for line, contexts in data.contexts_by_lineno(path).items():
                lines.setdefault(line, []).extend(c for c in contexts if c)
    kept.write_text(json.dumps(found))
    return found


def tests_for(
    change: Change, seen: dict[str, dict[int, list[str]]], where: dict[str, str]
) -> list[str]:
    """What is run for a change: names of tests, or folders of them. where: the files of tests by
    their names. What is run on import, as a usual value, is what its function is called for."""
    lines = seen.get(change.path, {})
    names = {t for line in change.lines for t in lines.get(line, [])}
    names = names or {t for line in change.around for t in lines.get(line, [])}
    found = []
    for name in sorted(names):
        parts = name.split(".")
        file = next((where[part] for part in parts if part in where), None)
        if file is not None:
            found.append("::".join([file, *parts[parts.index(Path(file).stem) + 1 :]]))
    return found


def noticed(change: Change, place: Path, tests: list[str]) -> str:
    """What the tests say of a change in a copy of the tree: "noticed", "survived", "not run"."""
    if not tests:
        return "not run"
    file = place / change.path
    before = file.read_text()
    try:
        file.write_text(change.code)
        done = subprocess.run(
            [sys.executable, "-m", "pytest", "-x", "-q", "-p", _NO_CACHE,
             "--hypothesis-seed=0", *tests],
            cwd=place, env=environment(place), capture_output=True, timeout=MOST,
            check=False,
        )  # fmt: skip
        return "survived" if done.returncode == 0 else "noticed"
    except subprocess.TimeoutExpired:
        return "noticed"
    finally:
        file.write_text(before)


def main() -> None:
    """Try a sample, and tell of each that no test noticed."""
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("--count", type=int, default=200)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--room", type=Path, default=HERE / "build" / "mutants")
    asked.add_argument("--only", nargs="*", default=[], help="parts of paths")
    args = asked.parse_args()
    room = args.room.resolve()
    room.mkdir(parents=True, exist_ok=True)
    seen = lines_by_test(room)
    where = {f.stem: str(f.relative_to(HERE)) for t in TESTS for f in (HERE / t).rglob("test_*.py")}
    waiting: queue.Queue[Change] = queue.Queue()
    changes = sample(args.count, args.seed, args.only)
    for change in changes:
        waiting.put(change)
    told: dict[str, list[Change]] = {"noticed": [], "survived": [], "not run": []}
    guard = threading.Lock()

    def work(place: Path) -> None:
        while not waiting.empty():
            try:
                change = waiting.get_nowait()
            except queue.Empty:
                return
            said = noticed(change, place, tests_for(change, seen, where))
            with guard:
                told[said].append(change)
                done = sum(map(len, told.values()))
                print(
                    f"{done}/{len(changes)} {said}: {change.path}:{change.lines.start}", flush=True
                )
                if said != "noticed":
                    print(change.told(), flush=True)

    workers = [
        threading.Thread(target=work, args=(tree(room, f"tree{i}"),)) for i in range(WORKERS)
    ]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    share = len(told["noticed"]) / max(len(changes), 1)
    many = {said: len(those) for said, those in told.items()}
    print(
        f"{many['noticed']} of {len(changes)} noticed ({share:.1%}), {many['survived']} survived, "
        f"{many['not run']} in lines that no test runs"
    )


if __name__ == "__main__":
    main()
