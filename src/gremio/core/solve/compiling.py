"""Making a rig ready to run, whole or from what it was before."""

from __future__ import annotations

from gremio.core.plan.arrangement import Arrangement
from gremio.core.plan.arranging import arrange
from gremio.core.plan.check import own_faults
from gremio.core.plan.order import arranged_whole
from gremio.core.rig.model import Rig
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.program import Program, program_of
from gremio.core.solve.rows import keys_of, led_ends, values_of
from gremio.core.solve.taking_over import taken_over
from gremio.core.solve.tree import tree_of


def compile_rig(rig: Rig, geometry: GeometryOf, before: Program | None = None) -> Program:
    """Make a rig ready to run. The same rig gives the same program, bit for bit.

    geometry: finds the surface of a solid, for what sits on it, or is measured. before: the
    program of an older rig, from which what did not change is taken over.
    A rig with faults is compiled without what is at fault; `faults` says what that was.
    """
    arrangement = arrange(rig)
    found = None if before is None else taken_over(before, rig, geometry, arrangement)
    return found or _made(rig, geometry, arrangement)


def compile_whole(rig: Rig, geometry: GeometryOf) -> Program:
    """As `compile_rig`, with nothing taken over from what is kept of other rigs."""
    return _made(rig, geometry, arranged_whole(rig))


def _made(rig: Rig, geometry: GeometryOf, arrangement: Arrangement) -> Program:
    keys = keys_of(rig)
    tree = tree_of(rig, keys.depth, keys.row)
    led = led_ends(keys.row, arrangement.stops)
    values = values_of(rig, keys, led)
    faults = (*own_faults(rig), *keys.notes, *arrangement.notes)
    return program_of(rig, geometry, arrangement, keys, tree, led, values, faults)
