"""Saltmarsh lock: the demonstration, built through the scripting face, and kept as a file."""

from pathlib import Path

# What `saltmarsh.saltmarsh_lock` builds, kept, so that the window opens without building it.
KEPT = Path(__file__).parent / "saltmarsh.gremio"
# Kits that come with Gremio, as `gremio.demo.make_kits` makes them.
KITS = Path(__file__).parent / "kits"
