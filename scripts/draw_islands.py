"""Draws the islands of the demo: what is computed together, and in what order."""

from __future__ import annotations

from html import escape
from pathlib import Path

from gremio.core.files.sources import model_shelf
from gremio.core.plan.blocks import Block
from gremio.core.plan.islands import Island
from gremio.core.rig.channels import split
from gremio.core.rig.constraints import constraint_words
from gremio.core.rig.links import link_word
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import label
from gremio.core.solve.compiling import compile_rig
from gremio.demo.saltmarsh import saltmarsh_lock

TARGET = Path(__file__).parents[1] / "docs" / "decisions" / "19-islands.svg"
INK, SECOND, HAND, PAPER, RULE = "#1E2A32", "#66707A", "#C4452D", "#F4F0E6", "#CFC8B8"
COLUMN, LINE, GAP, WIDE = 250, 15, 12, 1240


def words(rig: Rig, block: Block) -> list[str]:
    """A block in a few lines: what it is, and what it gives."""
    if block.train is not None:
        head = "train" if len(block.links) > 1 else "ratio"
    elif block.loop is not None:
        head = "linkage"
    elif block.constraint:
        return [constraint_words(rig, rig.constraints[block.constraint])]
    elif block.holds:
        head = "held within led stops"
    else:
        head = " + ".join(link_word(rig.links[link]) for link in block.links)
    names = [label(rig, channel) for channel in block.writes]
    more = [f"and {len(names) - 3} more"] if len(names) > 3 else []
    return [head, *(f"  {name}" for name in names[:3]), *more]


def drawn(rig: Rig, island: Island, x: float, y: float) -> tuple[str, float]:
    """One island as SVG, and its height."""
    inputs = sorted(
        {split(c)[0] for c in island.reads - island.writes if split(c)[0] in rig.controls}
    )
    led = ", ".join(rig.controls[control].name for control in inputs)
    out, deepest = [], 0.0
    for depth, level in enumerate(island.levels):
        down = y + 30.0
        for block in level:
            for i, line in enumerate(words(rig, block)):
                ink = INK if i == 0 else SECOND
                text = line if len(line) < 38 else f"{line[:36]}…"
                out.append(f'<text x="{x + 12 + depth * COLUMN}" y="{down + 11}" fill="{ink}" '
                           f'xml:space="preserve">{escape(text)}</text>')  # fmt: skip
                down += LINE
            down += 6
        deepest = max(deepest, down - y)
    wide = COLUMN * len(island.levels)
    frame = (
        f'<rect x="{x}" y="{y}" width="{wide}" height="{deepest}" rx="7" fill="#FBF9F3" '
        f'stroke="{RULE}"/><text x="{x + 12}" y="{y + 19}" fill="{HAND}">'
        f"{escape(led or 'hands')}</text>"
    )
    arrows = [
        f'<line x1="{x + depth * COLUMN - 2}" y1="{y + 30}" x2="{x + depth * COLUMN - 2}" '
        f'y2="{y + deepest - 8}" stroke="{RULE}"/>'
        for depth in range(1, len(island.levels))
    ]
    return "\n".join([frame, *arrows, *out]), deepest


def main() -> None:
    """Write the drawing."""
    rig = saltmarsh_lock()
    shelf = model_shelf()
    program = compile_rig(rig, lambda solid: shelf.geometry(rig, solid))
    parts, x, y, row = [], float(GAP), 40.0, 0.0
    for island in sorted(program.islands, key=lambda one: len(one.levels)):
        wide = COLUMN * len(island.levels)
        if x + wide > WIDE:
            x, y, row = float(GAP), y + row + GAP, 0.0
        text, deep = drawn(rig, island, x, y)
        parts.append(text)
        x, row = x + wide + GAP, max(row, deep)
    height = y + row + GAP
    title = (
        f"{len(program.islands)} islands of {rig.name}: in each, what stands further right is "
        "computed after what stands left of it; above, the controls that it reads"
    )
    TARGET.write_text(
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{WIDE + GAP}" height="{height:.0f}" '
        f'font-family="B612, sans-serif" font-size="11"><rect width="100%" height="100%" '
        f'fill="{PAPER}"/><text x="{GAP}" y="24" fill="{INK}" font-size="13">{escape(title)}'
        "</text>\n" + "\n".join(parts) + "\n</svg>\n"
    )


if __name__ == "__main__":
    main()
