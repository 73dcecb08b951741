"""Keeps the demonstration as a file, so that the window opens without building it."""

from gremio.core.files.rig_file import write
from gremio.demo import KEPT
from gremio.demo.saltmarsh import saltmarsh_lock

if __name__ == "__main__":
    write(saltmarsh_lock(), KEPT)
