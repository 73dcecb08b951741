"""What the application imports is what an installation brings with it."""

from __future__ import annotations

import ast
import importlib.metadata
import re
import sys
import tomllib
from pathlib import Path

ROOT = Path(__file__).parents[1]


def plain(name: str) -> str:
    """A package's name as PEP 503 normalises it."""
    return re.sub(r"[-_.]+", "-", name).lower()


def imported() -> dict[str, set[str]]:
    """What the application imports beside the standard library: by module, the names of the
    packages that bring it."""
    modules: set[str] = set()
    for file in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Import):
                modules |= {alias.name.split(".")[0] for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module:
                modules.add(node.module.split(".")[0])
    packages = importlib.metadata.packages_distributions()
    outside = modules - set(sys.stdlib_module_names) - {"gremio"}
    # What is compiled where it is set up may be missing; its module is called as its package.
    return {m: {plain(name) for name in packages.get(m, [m])} for m in outside}


def test_every_package_imported_is_declared_and_pinned() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    declared = {plain(name) for name in project["dependencies"]}
    declared |= {plain(name) for name in project["optional-dependencies"]["meshopt"]}
    pinned = {
        plain(line.split("==")[0])
        for kind in ("run", "meshopt")
        for line in (ROOT / f"requirements-{kind}.lock").read_text().splitlines()
    }
    found = imported()
    assert {"numpy", "scipy", "lxml"} <= found.keys()
    assert {module for module, packages in found.items() if not packages & declared} == set()
    assert declared <= pinned


def test_the_locks_pin_versions_and_name_no_address() -> None:
    for kind in ("run", "dev", "meshopt"):
        lines = (ROOT / f"requirements-{kind}.lock").read_text().split()
        assert lines and all(re.fullmatch(r"[\w.-]+==[\w.+!-]+", line) for line in lines)
