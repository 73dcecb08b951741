"""What the command line prints."""

from __future__ import annotations

import csv
import io
import json
import math
from typing import TYPE_CHECKING, Any

import msgspec

from gremio.core.problem import GremioError, Note
from gremio.core.quantity import show
from gremio.core.rig.channels import channel_unit

if TYPE_CHECKING:
    # Each command loads what it needs, and no more.
    from gremio.core.files.kits import KitFile
    from gremio.core.files.revising import Revision
    from gremio.core.inspect.comparing import Difference
    from gremio.core.inspect.finding import Finding
    from gremio.core.solve.pose import Pose


def pose_json(pose: Pose, notes: list[Note]) -> str:
    """Controls, parts and notes as JSON, in metres and radians."""
    rig = pose.program.rig
    parts: dict[str, Any] = {}
    for part_id in rig.parts:
        part = pose.part_of(part_id)
        parts[part.name] = {"world": part.world.ravel().tolist(), "channels": part.channels}
    answer = {
        "controls": {control.name: pose.at(key) for key, control in rig.controls.items()},
        "parts": parts,
        "notes": [{"code": note.code, "part": note.part, "text": note.text} for note in notes],
    }
    return json.dumps(msgspec.to_builtins(answer), ensure_ascii=False, indent=1)


def findings_json(findings: list[Finding]) -> str:
    """Notes with what would mend them, as JSON."""
    told = [
        {
            "severity": finding.note.severity,
            "code": finding.note.code,
            "part": finding.note.part,
            "text": finding.note.text,
            "mends": [mend.words for mend in finding.mends],
        }
        for finding in findings
    ]
    return json.dumps({"notes": told}, ensure_ascii=False, indent=1)


def differences_json(found: list[Difference]) -> str:
    """What is otherwise in the second of two rigs, as JSON."""
    told = []
    for difference in found:
        plain = {**difference._asdict(), "text": difference.text}
        del plain["where"]
        told.append(plain)
    return json.dumps({"differences": told}, ensure_ascii=False, indent=1)


def revisions_json(found: list[Revision], told: list[str]) -> str:
    """What a later model has otherwise, and what is to be known of that, as JSON."""
    changes = [{"how": one.how, "name": one.name, "words": one.words, "text": one.text}
               for one in found]  # fmt: skip
    return json.dumps({"changes": changes, "told": told}, ensure_ascii=False, indent=1)


# Columns of tables that hold words, whatever a thing is called.
_WORDS = ("Follower", "Unit", "Link", "How", "Lead")


def table_json(table: str) -> str:
    """The rows of a CSV by the heads of its columns, as JSON, numbers as such."""

    def cell(head: str, text: str) -> str | float | None:
        if head in _WORDS:
            return text
        try:
            value = float(text)
        except ValueError:
            return text or None
        return value if math.isfinite(value) else None

    heads, *rows = csv.reader(io.StringIO(table))
    told = [{head: cell(head, text) for head, text in zip(heads, row, strict=True)}
            for row in rows]  # fmt: skip
    return json.dumps(told, ensure_ascii=False, indent=1)


def kits_json(found: list[KitFile]) -> str:
    """Kits as JSON."""
    told = [{"name": kit.name, "about": kit.about, "words": kit.words, "path": str(kit.path),
             "wrong": kit.wrong} for kit in found]  # fmt: skip
    return json.dumps({"kits": told}, ensure_ascii=False, indent=1)


def kits_text(found: list[KitFile]) -> str:
    """A line for each kit."""
    return "\n".join(f"{kit.name}: {kit.wrong or kit.about}  ({kit.path})" for kit in found)


def pose_text(pose: Pose, notes: list[Note]) -> str:
    """A line for each control and each free channel, then the notes."""
    rig = pose.program.rig
    lines = []
    for key, control in rig.controls.items():
        lines.append(f"{control.name}  {show(pose.at(key), control.unit)}")
    for part_id in rig.parts:
        part = pose.part_of(part_id)
        for channel, value in part.channels.items():
            lines.append(f"{part.name}  {channel}  {show(value, channel_unit(channel))}")
    return "\n".join(lines + [f"note: {note.text}" for note in notes])


def picture_size(text: str) -> tuple[int, int]:
    """Width and height from "1280x800". Raises GremioError."""
    width, _, height = text.lower().partition("x")
    if not (width.isdigit() and height.isdigit()):
        raise GremioError(f"--size {text!r} is no size. Write --size 1280x800.")
    from gremio.desktop.bench.picture import check_size

    return check_size((int(width), int(height)))
