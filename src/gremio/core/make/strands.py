"""Making ropes: which way one goes round its sheaves."""

from __future__ import annotations

import itertools
from functools import partial

from msgspec.structs import replace

from gremio.core.rig.model import Strand
from gremio.core.solve.pose import Pose
from gremio.core.solve.strands import lies

# So many sheaves are tried each way together; of more, one after the other.
_TOGETHER = 6


def shortest_way(pose: Pose, strand: Strand) -> Strand:
    """A rope that goes round each of its sheaves on the side that makes it shortest; a side on
    which it would touch them all goes before one on which it would be clear of some."""
    sheaves = [i for i, end in enumerate(strand.through) if end.radius]
    if not sheaves:
        return strand
    if len(sheaves) > _TOGETHER:
        for i in sheaves:
            strand = min(
                (_turned(strand, {i: sign}) for sign in (1, -1)), key=partial(_length, pose)
            )
        return strand
    ways = itertools.product((1, -1), repeat=len(sheaves))
    tried = (_turned(strand, dict(zip(sheaves, signs, strict=True))) for signs in ways)
    return min(tried, key=partial(_length, pose))


def _turned(strand: Strand, signs: dict[int, int]) -> Strand:
    through = tuple(
        replace(end, radius=signs[i] * abs(end.radius)) if i in signs else end
        for i, end in enumerate(strand.through)
    )
    return replace(strand, through=through)


def _length(pose: Pose, strand: Strand) -> tuple[bool, int, float]:
    lying = lies(pose, strand)
    if lying is None:
        return True, 0, 0.0
    return bool(lying.wrong), len(lying.clear), lying.length
