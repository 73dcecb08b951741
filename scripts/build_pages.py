"""Builds the pages on the scripting face: a reference from the docstrings, and a gallery of scripts
with the pictures that they draw. Reads nothing from any network.

usage: build_pages.py [FOLDER]: where the pages come to; build/pages unless it is said."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
GALLERY = ROOT / "docs" / "gallery"
SOURCES = ROOT / "build" / "pages-of"

# What of the public face belongs together, each name once.
GROUPS: dict[str, tuple[str, ...]] = {
    "Rigs and files": ("Rig", "Builder", "load", "save", "bring_in", "export", "put", "rename",
                       "remove", "write_note"),
    "Parts and controls": ("part", "Repeat", "control", "place", "mount_on", "set_joint",
                           "move_joint", "turn_round", "set_stops", "set_home", "take_scale_out",
                           "put_on_ground", "measure", "lock"),
    "Solids": ("shape", "Box", "Cylinder", "Ball", "Tube", "Wedge", "Plate", "SpurGear",
               "InternalGear", "RackBar"),
    "Links": ("ratio", "cam", "unlink", "mesh", "join", "joint_from_copies", "roll", "formula",
              "teach", "lead_instead", "set_range", "in_step", "midway", "stops_where_it_touches"),
    "Closed linkages, constraints, paths": ("pin", "strut", "constrain", "leave_in_place", "path",
                                            "strand"),
    "Vehicles and treads": ("carriage", "drive_to", "tracked", "tread", "tread_links"),
    "Asking": ("solve", "run", "sweep", "Pose", "Poses", "keep", "to_pose", "inspect", "Note"),
    "Pictures": ("picture", "Picture"),
    "Over time": ("routine", "key", "motor", "rumble", "hand_over", "at_time", "bake", "Baked",
                  "trace", "Trace"),
    "Again": ("copy", "mirror", "resize", "take", "put_in", "keep_kit", "put_kit", "kit_changes",
              "update_kits", "compare", "merge", "changes", "revise"),
    "What is refused": ("GremioError", "NotFound"),
}  # fmt: skip
_CSS = """
:root { --md-primary-fg-color: #1E2A32; --md-accent-fg-color: #C4452D; }
.md-typeset { font-size: .78rem; }
.md-typeset img { border: 1px solid #CFC8B8; }
"""


def main() -> None:
    """Write what the pages are made of, and build them."""
    shutil.rmtree(SOURCES, ignore_errors=True)
    SOURCES.mkdir(parents=True)
    (SOURCES / "pages.css").write_text(_CSS)
    (SOURCES / "index.md").write_text(_index())
    (SOURCES / "reference.md").write_text(_reference())
    (SOURCES / "gallery.md").write_text(_gallery())
    for name in ("guide.md", "file-format.md"):
        shutil.copy(ROOT / "docs" / name, SOURCES / name)
    shutil.copytree(ROOT / "docs" / "screenshots", SOURCES / "screenshots")
    out = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "build" / "pages"
    done = subprocess.run(
        [sys.executable, "-m", "mkdocs", "build", "-q", "-f", str(ROOT / "mkdocs.yml"),
         "-d", str(out.resolve())], check=False,
    )  # fmt: skip
    if done.returncode == 0:
        print(f"The pages are in {out}: open index.html.")
    sys.exit(done.returncode)


def _index() -> str:
    """The part of the guide on scripts."""
    guide = (ROOT / "docs" / "guide.md").read_text()
    begin = guide.index("## Building a rig from a script")
    end = guide.index("\n## ", begin + 3)
    told = guide[begin:end].replace("## Building", "# Building", 1)
    return f"{told}\n\nEvery function is told in the [reference](reference.md).\n"


def examples() -> dict[str, str]:
    """The example of each function, by its name, and under "" the rig that all are run on."""
    text = (ROOT / "docs" / "examples.py").read_text()
    _, first, *rest = re.split(r"^# == (.+?) ==\n", text, flags=re.M)
    begin, *others = rest
    del first
    return {"": begin.strip(), **dict(zip(others[::2], map(str.strip, others[1::2]), strict=True))}


def _reference() -> str:
    shown = examples()
    lines = ["# Reference", "", "All of this is `import gremio`, and listed by `dir(gremio)`. The "
             "examples are run on this rig:", "", "```python", shown[""], "```"]  # fmt: skip
    for group, names in GROUPS.items():
        lines += ["", f"## {group}", ""]
        for name in names:
            lines += [f"::: gremio.{name}", ""]
            if name in shown:
                lines += ["```python", shown[name], "```", ""]
    return "\n".join(lines)


def _gallery() -> str:
    """Run each script, and show it with what it draws."""
    folder = SOURCES / "gallery"
    folder.mkdir()
    lines = ["# Gallery", "", "Each script runs as it stands, and draws the picture above it."]
    for script in sorted(GALLERY.glob("*.py")):
        subprocess.run([sys.executable, str(script)], cwd=folder, check=True,
                       stdout=subprocess.DEVNULL)  # fmt: skip
        text = script.read_text()
        head = re.match(r'"""(.*?)"""', text, re.S)
        assert head is not None
        body = text[head.end() :].strip()
        name = script.stem.split("_", 1)[1].replace("_", " ").capitalize()
        lines += ["", f"## {name}", "", head[1], "", f"![{name}](gallery/{script.stem}.png)", "",
                  "```python", body, "```"]  # fmt: skip
    shutil.copy(GALLERY / "notebook.png", folder / "notebook.png")
    told = "A pose shows itself (`docs/gallery/notebook.ipynb`)."
    lines += ["", "## In a notebook", "", told, "", "![In a notebook](gallery/notebook.png)"]
    return "\n".join(lines)


if __name__ == "__main__":
    main()
