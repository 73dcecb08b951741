"""Compiles the kernels into the library that lies beside them, where it is older than they are.

usage: python scripts/build_kernels.py
"""

from __future__ import annotations

import importlib.util
import os
import shutil
import subprocess
import sys
from pathlib import Path

ROOM = Path(__file__).parent.parent / "src" / "gremio" / "core" / "kernels"
LIBRARY = ROOM / "libgremio.so"
# Sums are not put together otherwise than they are written: the same figures on every machine.
FLAGS = [
    "-std=c11", "-O3", "-fPIC", "-shared", "-fvisibility=hidden", "-ffp-contract=off",
    "-fno-math-errno", "-Wall", "-Wextra",
]  # fmt: skip


def build(library: Path = LIBRARY, *more: str) -> Path:
    """Compile the kernels into a library. more: flags for the compiler. Raises RuntimeError where
    there is no compiler, or it does not succeed."""
    sources = sorted((ROOM / "source").glob("*.c"))
    # Beside the library, and put in its place at once: whoever runs keeps the one that it has.
    made = library.with_suffix(f".{os.getpid()}")
    command = [*_compiler(), *FLAGS, *more, *map(str, sources), "-lm", "-o", str(made)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    if done.returncode:
        raise RuntimeError(f"Gremio's kernels could not be compiled:\n{done.stderr}")
    made.replace(library)
    return library


def is_new() -> bool:
    """Whether the library is newer than all that it is made of."""
    made_of = [*(ROOM / "source").glob("*.[ch]"), Path(__file__)]
    at = LIBRARY.stat().st_mtime if LIBRARY.exists() else 0.0
    return all(file.stat().st_mtime <= at for file in made_of)


def _compiler() -> list[str]:
    for name in ("cc", "gcc", "clang"):
        if found := shutil.which(name):
            return [found]
    if importlib.util.find_spec("ziglang"):
        return [sys.executable, "-m", "ziglang", "cc"]
    raise RuntimeError(
        "There is no C compiler to compile Gremio's kernels with: install gcc, or the package "
        "ziglang with pip."
    )


if __name__ == "__main__":
    if not is_new():
        print("Gremio: compiling its kernels")
        build()
