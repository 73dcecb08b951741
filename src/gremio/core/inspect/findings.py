"""Everything that can be found wrong with a rig, in a steady order."""

from __future__ import annotations

from msgspec.structs import replace as replace_note

from gremio.core.edit.controls import all_home
from gremio.core.edit.prepare import has_scale, without_scale
from gremio.core.inspect.cams import cam_findings
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.inspect.gearing import gear_findings
from gremio.core.inspect.linkages import linkage_findings, misfit_mends
from gremio.core.inspect.reach import held_names, reach_findings, reach_of
from gremio.core.inspect.rolling import rolling_findings
from gremio.core.inspect.routines import routine_findings
from gremio.core.inspect.struts import strut_findings
from gremio.core.problem import GremioError, Note
from gremio.core.rig import ids
from gremio.core.rig.channels import key
from gremio.core.rig.find import control_id
from gremio.core.rig.links import leads, link_holds, link_label
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label
from gremio.core.rig.scales import shown
from gremio.core.rig.solids import AnySolid
from gremio.core.shape.geometry import GeometryOf
from gremio.core.shape.solids import check_dimensions
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.core.solve.program import Program
from gremio.core.solve.strands import strand_notes
from gremio.core.solve.treads import tread_notes

# Notes on what is held where a control asks for more.
_HELD = ("loop-reach", "stop-reached")


def inspect(rig: Rig, pose: Pose | None = None, *, geometry: GeometryOf) -> list[Finding]:
    """What is wrong with a rig, the worst first.

    pose: as it stands now, for the stops reached there. geometry: finds the surface of a solid.
    """
    program = compile_rig(rig, geometry) if pose is None else pose.program
    here = evaluate(program, rig.at).frame(0) if pose is None else pose
    machine = machine_findings(rig, program)
    return sorted_findings([*told_once(here, machine), *routine_findings(rig, program)])


def told_once(pose: Pose, machine: list[Finding]) -> list[Finding]:
    """What is wrong where a machine stands, and with the machine itself, as `machine_findings` has
    it. A control that asks for more than the machine follows is told once, as it is read on the
    control, and not of each thing that is held by it as well."""
    here, machine = pose_findings(pose), list(machine)
    program = pose.program
    for place, finding in enumerate(machine):
        if finding.note.code != "control-stopped":
            continue
        entry = program.rig.controls[control_id(program.rig, finding.note.part)]
        control = ids.thing(control_id(program.rig, finding.note.part))
        reach, value = reach_of(program, control, pose), pose.at(key(control))
        slack = 1e-9 * max(1.0, abs(value))
        by = reach.low_by if value < reach.low - slack else reach.high_by
        if reach.low - slack <= value <= reach.high + slack or not by:
            continue
        held = held_names(program, by)
        here = [f for f in here if f.note.code not in _HELD or f.note.part not in held]
        text = f"{entry.name} stands at {shown(entry, value)}. {finding.note.text}"
        note = replace_note(finding.note, text=text, severity="warning")
        machine[place] = Finding(note, finding.mends)
    return [*here, *machine]


def pose_findings(pose: Pose) -> list[Finding]:
    """What could not be had in a pose, and what would mend it."""
    told = [*pose.notes, *strand_notes(pose), *tread_notes(pose)]
    return [Finding(note, misfit_mends(pose, note)) for note in told]


def machine_findings(rig: Rig, program: Program) -> list[Finding]:
    """What is wrong with the machine itself, wherever it stands."""
    home = evaluate(program, all_home(rig).at).frame(0)
    found = [*_scales(rig), *cam_findings(rig, program), *reach_findings(rig, program)]
    found += [*strut_findings(rig, program), *linkage_findings(rig, home)]
    found += _driven_back(rig, program)
    if all(_is_sound(shape.solid) for part in rig.parts.values() for shape in part.shapes):
        found += [*gear_findings(rig, home), *rolling_findings(rig, home)]
    return found


def sorted_findings(found: list[Finding]) -> list[Finding]:
    """The worst first."""
    order = {"error": 0, "warning": 1, "info": 2}
    return sorted(found, key=lambda finding: order[finding.note.severity])


def _is_sound(solid: AnySolid) -> bool:
    try:
        check_dimensions(solid)
    except GremioError:
        return False
    return True


def _driven_back(rig: Rig, program: Program) -> list[Finding]:
    """Links that their follower drives, though it can't."""
    found = []
    for link_id, link in rig.links.items():
        if not link_holds(link):
            continue
        for lead in leads(link):
            drive = program.drives.get(lead)
            if drive is not None and link_id in drive.links:
                told, name = link_label(rig, link), full_label(rig, lead)
                text = (
                    f"{told[0].upper()}{told[1:]} can't be driven back, and yet {name} is moved "
                    "through it. Lead it from its other end, or let it be driven back on its Card."
                )
                found.append(Finding(Note("driven-back", name, text, "warning")))
    return found


def _scales(rig: Rig) -> list[Finding]:
    found = []
    for part_id, part in rig.parts.items():
        if has_scale(part):
            stretch = " × ".join(f"{s:g}" for s in part.mount.scale)
            text = (
                f"The mount of {part.name} is stretched ({stretch}), so what it carries moves "
                "in another measure. Take the scale out; nothing moves."
            )
            mend = Mend(
                "take the scale out",
                lambda rig, part_id=part_id: without_scale(rig, part_id),  # type: ignore[misc]
            )
            found.append(Finding(Note("scale-stray", part.name, text, "warning"), (mend,)))
    return found
