"""Notes on gears: teeth that cross or miss, undercut, modules that differ."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import partial

from msgspec.structs import replace

from gremio.core.edit.links import change_link
from gremio.core.edit.parts import set_shapes
from gremio.core.inspect.finding import Finding, Mend
from gremio.core.make.gearing import (
    GEARED,
    Gear,
    Mesh,
    ToothedSolid,
    gears_of,
    likeliest_mesh,
    phase_error,
)
from gremio.core.make.meshing import fit_by_shift, interlock
from gremio.core.make.pairs import propose
from gremio.core.mechanics import gears
from gremio.core.problem import GremioError, Note
from gremio.core.rig.channels import split
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Ratio, Rig
from gremio.core.rig.numbers import label
from gremio.core.rig.solids import InternalGear, RackBar, SpurGear
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.pose import Pose

# Teeth that cross by less than so many hundredths of a module are not worth a word.
_CLOSE = 0.02
_PHASE = 0.02
# Teeth that cut each other by less than this, in modules, are only rounded off.
_OVERLAP = 0.008
_LEAST_CLEARANCE = 0.1


def gear_findings(rig: Rig, home: Pose) -> Iterator[Finding]:
    """Notes on every gear, and on every pair that runs together. home: all at home. What a chain
    goes round is no gear, though it may be made of one."""
    in_chains = {wheel.on for tread in rig.treads.values() for wheel in tread.wheels}
    for part in (part for part in rig.parts if part not in in_chains):
        for gear in gears_of(rig, home, part):
            if gear.part == part:
                yield from _undercut(rig, gear)
                yield from _module(rig, gear)
    for link_id, link in rig.links.items():
        if isinstance(link, Ratio) and link.kind in GEARED:
            yield from _pair(rig, home, link_id, link)


def _undercut(rig: Rig, gear: Gear) -> Iterator[Finding]:
    solid = gear.solid
    if not isinstance(solid, SpurGear):
        return
    least = gears.least_shift(solid.teeth, solid.pressure_angle)
    if solid.shift >= least - 1e-9 or solid.teeth >= 17:
        return
    name = rig.parts[gear.part].name
    text = (
        f"{name} has {solid.teeth} teeth, which are undercut below 17: their roots are cut thin. "
        f"A profile shift of {least:.2f} avoids it, or more teeth."
    )
    shapes = list(rig.parts[gear.part].shapes)
    shifted = math.ceil(least * 100) / 100
    shapes[gear.shape] = replace(shapes[gear.shape], solid=replace(solid, shift=shifted))
    mend = Mend(
        f"shift it by {shifted:.2f}",
        lambda rig, part=gear.part, new=tuple(shapes): set_shapes(rig, part, new),  # type: ignore[misc]
    )
    yield Finding(Note("gear-undercut", name, text, "warning"), (mend,))


def _module(rig: Rig, gear: Gear) -> Iterator[Finding]:
    """A word on a module that no cutter is kept for."""
    module = gear.solid.module
    near = min(gears.PREFERRED_MODULES, key=lambda m: abs(m / module - 1))
    if math.isclose(near, module, rel_tol=1e-6):
        return
    name = rig.parts[gear.part].name
    text = (
        f"{name} has module {module * 1000:g} mm, which is not in the preferred series; the "
        f"nearest is {near * 1000:g} mm (ISO 54)."
    )
    yield Finding(Note("gear-module-odd", name, text, "info"))


def _pair(rig: Rig, home: Pose, link_id: ThingId, link: Ratio) -> Iterator[Finding]:
    one, two = PartId(split(link.lead)[0]), PartId(split(link.follower)[0])
    if one not in rig.parts or two not in rig.parts:
        return
    mesh = likeliest_mesh(gears_of(rig, home, one), gears_of(rig, home, two))
    if mesh is None or mesh.kind == "bevel":
        return
    mesh = mesh.with_backlash(link.backlash)
    names = label(rig, link.lead), label(rig, link.follower)
    yield from _ratio(rig, home, link_id, link)
    a, b = mesh.one.solid, mesh.two.solid
    if not math.isclose(a.module, b.module, rel_tol=1e-6):
        text = (
            f"{names[0]} has module {a.module * 1000:g} mm and {names[1]} {b.module * 1000:g} mm, "
            "so their teeth can't run together. Give both one module."
        )
        yield Finding(Note("gear-modules", names[1], text), (_alike(mesh, "module"),))
        return
    if not math.isclose(a.pressure_angle, b.pressure_angle, rel_tol=1e-6):
        text = (
            f"{names[0]} and {names[1]} have pressure angles of {_degrees(a)} "
            f"and {_degrees(b)}. Give both one."
        )
        mend = _alike(mesh, "pressure_angle")
        yield Finding(Note("gear-angles", names[1], text), (mend,))
        return
    yield from _distance(mesh, names, one, two, home.program.geometry)


def _degrees(solid: ToothedSolid) -> str:
    return f"{math.degrees(solid.pressure_angle):g}°"


def _alike(mesh: Mesh, name: str) -> Mend:
    """Give the second gear the module or the pressure angle of the first."""
    value, gear = getattr(mesh.one.solid, name), mesh.two

    def edit(rig: Rig) -> Rig:
        shapes = list(rig.parts[gear.part].shapes)
        solid = replace(shapes[gear.shape].solid, **{name: value})
        shapes[gear.shape] = replace(shapes[gear.shape], solid=solid)
        return set_shapes(rig, gear.part, tuple(shapes))

    return Mend(f"give both one {name.replace('_', ' ')}", edit)


def _ratio(rig: Rig, home: Pose, link_id: ThingId, link: Ratio) -> Iterator[Finding]:
    try:
        proposed = propose(rig, home, PartId(split(link.lead)[0]), PartId(split(link.follower)[0]))
    except GremioError:
        return
    if proposed is None or proposed.kind != link.kind:
        return
    right = proposed.ratio()
    if math.isclose(right.ratio, link.ratio, rel_tol=1e-6):
        return
    names = label(rig, link.lead), label(rig, link.follower)
    text = (
        f"{names[1]} is led by × {link.ratio:.4g}, and the teeth say {proposed.words}. "
        "Take the ratio from the teeth."
    )
    better = replace(link, ratio=right.ratio)
    mend = Mend("take it from the teeth", partial(change_link, link_id=link_id, link=better))
    yield Finding(Note("gear-ratio", names[1], text, "warning"), (mend,))


def _distance(
    mesh: Mesh, names: tuple[str, str], one: PartId, two: PartId, geometry: GeometryOf
) -> Iterator[Finding]:
    place = Mend(
        f"place {names[1]} anew", partial(interlock, fixed=one, moved=two, geometry=geometry)
    )
    if not math.isfinite(mesh.right) and mesh.asked:
        play = f"{mesh.asked * 1000:g} mm"
        text = (
            f"There is no place for {names[0]} in {names[1]} with {play} of backlash. Ask for less."
        )
        yield Finding(Note("gear-backlash", names[1], text))
        return
    if not math.isfinite(mesh.right):
        text = f"{names[0]} can't run inside {names[1]}: the ring needs more teeth than the pinion."
        yield Finding(Note("gear-teeth", names[1], text))
        return
    gap = mesh.gap / mesh.module
    if abs(gap) > _CLOSE:
        does = "cross" if gap < 0 else "miss each other"
        text = (
            f"The teeth of {names[0]} and {names[1]} {does} by {abs(mesh.gap) * 1000:.2f} mm: they "
            f"are {mesh.distance * 1000:.2f} mm apart and should be {mesh.right * 1000:.2f} mm"
            f"{f' for {mesh.asked * 1000:g} mm of backlash' if mesh.asked else ''}. "
            "Place one anew, or shift its profile."
        )
        mends = [place]
        if isinstance(mesh.one.solid, SpurGear) and isinstance(mesh.two.solid, SpurGear):
            mends.append(
                Mend(
                    "shift its profile", partial(fit_by_shift, one=one, two=two, geometry=geometry)
                )
            )
        yield Finding(Note("gear-distance", names[1], text, "warning"), tuple(mends))
        return
    error = phase_error(mesh)
    if abs(error) > _PHASE:
        text = (
            f"A tooth of {names[1]} meets a tooth of {names[0]} by {abs(error):.2f} of a pitch at "
            "home. Turn it on until teeth meet spaces."
        )
        turn = Mend(
            f"turn {names[1]} on",
            partial(interlock, fixed=one, moved=two, keep_place=True, geometry=geometry),
        )
        yield Finding(Note("gear-phase", names[1], text, "warning"), (turn,))
    yield from _inside(mesh, names)
    clearance = _clearance(mesh)
    if clearance is not None and clearance < _LEAST_CLEARANCE - 1e-9:
        text = (
            f"The tips of {names[0]} or {names[1]} come within {clearance:.2f} module of the "
            "other's roots; 0.25 is usual, 0.1 the least. Lessen their profile shift."
        )
        yield Finding(Note("gear-clearance", names[1], text, "warning"))


def _inside(mesh: Mesh, names: tuple[str, str]) -> Iterator[Finding]:
    """That teeth of a pinion and an internal gear cut each other."""
    a, b = mesh.one.solid, mesh.two.solid
    ring, pinion = (a, b) if isinstance(a, InternalGear) else (b, a)
    if not isinstance(ring, InternalGear) or not isinstance(pinion, SpurGear):
        return
    about = (
        ring.module, (pinion.teeth, ring.teeth), (pinion.shift, ring.shift), mesh.distance,
        ring.pressure_angle,
    )  # fmt: skip
    deep = gears.internal_overlap(*about)
    if deep < _OVERLAP:
        return
    _, by_tips = gears.internal_margins(*about)
    where = (
        "their tips meet as they leave each other"
        if by_tips < 0
        else "the tips of the ring dig into what lies below the involute of the pinion"
    )
    text = (
        f"The teeth of {names[0]} and {names[1]} cut each other by {deep * ring.module * 1000:.2f} "
        f"mm: {where}. Give the ring more teeth, or the pinion fewer of them; eight or more apart "
        "is usual."
    )
    yield Finding(Note("gear-inside", names[1], text, "warning"))


def _clearance(mesh: Mesh) -> float | None:
    """The lesser gap between tip and root, in modules; None for a rack."""
    a, b = mesh.one.solid, mesh.two.solid
    if isinstance(a, RackBar) or isinstance(b, RackBar):
        return None
    if isinstance(a, InternalGear) or isinstance(b, InternalGear):
        ring, pinion = (a, b) if isinstance(a, InternalGear) else (b, a)
        if isinstance(pinion, InternalGear):
            return None
        reach = mesh.distance + gears.tip_diameter(pinion.module, pinion.teeth, pinion.shift) / 2
        root = gears.internal_root_diameter(ring.module, ring.teeth, ring.shift) / 2
        return (root - reach) / mesh.module
    gaps = [
        mesh.distance
        - gears.tip_diameter(x.module, x.teeth, x.shift) / 2
        - gears.root_diameter(y.module, y.teeth, y.shift) / 2
        for x, y in ((a, b), (b, a))
    ]
    return min(gaps) / mesh.module
