"""What a wheel brings along beside the sources: the compiled kernels, for the machine it is made on."""

from __future__ import annotations

import runpy
import sysconfig
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class Kernels(BuildHookInterface):
    """Compiles the kernels, and says for what machines the wheel is."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        kernels = runpy.run_path(str(Path(self.root) / "scripts" / "build_kernels.py"))
        if not kernels["is_new"]():
            kernels["build"]()
        if version != "editable":
            platform = sysconfig.get_platform().replace("-", "_").replace(".", "_")
            # The library knows nothing of Python: any version that Gremio runs with may load it.
            build_data.update(pure_python=False, tag=f"py3-none-{platform}")
