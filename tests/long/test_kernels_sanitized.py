"""The kernels under the sanitizers of addresses and of undefined behaviour, called through their
doors with whatever comes: each call is refused in Python, or stays within its arrays."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent
SECONDS = float(os.environ.get("GREMIO_ATTACK_SECONDS", "15"))


def _preloaded() -> str:
    """The libraries of the sanitizers that must come first; "" where there are none."""
    found = []
    for name in ("libasan.so", "libubsan.so"):
        told = subprocess.run(
            ["cc", f"-print-file-name={name}"], capture_output=True, text=True, check=False
        ).stdout.strip()
        if not Path(told).is_absolute():
            return ""
        found.append(told)
    return " ".join(found)


def test_kernels_stay_within_their_arrays(tmp_path: Path) -> None:
    preloaded = _preloaded()
    if not preloaded:
        pytest.skip("this machine's compiler has no sanitizers")
    environment = {
        **os.environ,
        "LD_PRELOAD": preloaded,
        # Python itself leaves things where they are when it ends.
        "ASAN_OPTIONS": "detect_leaks=0:allocator_may_return_null=1",
        "UBSAN_OPTIONS": "halt_on_error=1:print_stacktrace=1",
        "PYTHONPATH": str(HERE.parent.parent),
    }
    done = subprocess.run(
        [sys.executable, HERE / "call_kernels.py", str(tmp_path / "kernels.so"), str(SECONDS)],
        env=environment, capture_output=True, text=True, timeout=SECONDS + 120, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-4000:]
    calls, refused = map(int, done.stdout.split())
    assert calls > 200 and 0 < refused < calls
