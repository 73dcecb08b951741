"""What the command line prints."""

from __future__ import annotations

import json
from typing import Any

import msgspec

from gremio.core.inspect.comparing import Difference
from gremio.core.inspect.finding import Finding
from gremio.core.problem import GremioError, Note
from gremio.core.quantity import show
from gremio.core.rig.channels import channel_unit
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
