"""Strands in a pose: where each lies, how long it is, and the pieces it is drawn with."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array
from gremio.core.edit.strands import wrong_strand
from gremio.core.frames import carried
from gremio.core.mechanics import turns
from gremio.core.mechanics.strands import coil, hanging
from gremio.core.problem import Note
from gremio.core.quantity import show_short
from gremio.core.remembered import Remembered
from gremio.core.rig.channels import split
from gremio.core.rig.ids import ThingId
from gremio.core.rig.model import Strand, Waypoint
from gremio.core.rig.numbers import numbers_of
from gremio.core.solve.pose import Pose
from gremio.core.solve.ropes import carrying_rows, rope_in

_HANGS, _A_COIL = 32, 18
# So many coils or folds are drawn at most.
_MOST_TURNS = 60.0
_SHORT = 1e-6


class Lies(NamedTuple):
    """How a strand lies. places: (n, 3) along its middle, in the world (m). length: how long
    the way is (m). falls: in how many straight runs it goes. missing: how much too short it is
    for the way (m). clear: which of its points, counted from 0, are sheaves that a rope does not
    touch. fleet: the greatest angle at which it leaves a sheave's plane (rad). wrong: what of it
    can't be laid, in words; its length is then none of a rope."""

    places: Array
    length: float
    falls: int
    missing: float
    clear: tuple[int, ...] = ()
    fleet: float = 0.0
    wrong: str = ""


_LYING: Remembered[dict[str, Lies | None]] = Remembered()
# How each lay when it was laid last, and where its points were: most of a machine stands while
# something is pulled, or goes through its travel.
_LAST: Remembered[dict[str, tuple[Strand, bytes, Lies]]] = Remembered()


def lies(pose: Pose, strand: Strand) -> Lies | None:
    """How a strand, as it is in a pose, lies there; None where it can't be told."""
    if wrong_strand(pose.program.rig, strand):
        return None
    last, where = _LAST.of(pose.program, dict), _where(pose, strand)
    known = last.get(strand.name)
    if known is None or known[:2] != (strand, where):
        known = last[strand.name] = (strand, where, _lies(pose, strand))
    return known[2]


def _over_sheaves(strand: Strand) -> bool:
    several = len(strand.through) > 2 or any(end.radius for end in strand.through)
    return strand.kind == "rope" and several


def _where(pose: Pose, strand: Strand) -> bytes:
    """All of a pose that says how a strand lies."""
    if _over_sheaves(strand):
        rows = carrying_rows(pose, strand.through)
        return bytes(pose.poses.channels[rows, 0].tobytes())
    return b"".join(pose.frame_of(end.on).tobytes() for end in strand.through)


def _lies(pose: Pose, strand: Strand) -> Lies:
    if _over_sheaves(strand):
        return _laid(pose, strand)
    ends = [_place(pose, end) for end in strand.through]
    one, two = ends[0], ends[-1]
    away = float(np.linalg.norm(two - one))
    if strand.kind == "spring":
        count = round(min(strand.turns, _MOST_TURNS) * _A_COIL) + 8
        across = pose.frame_of(strand.through[0].on)[:3, 2]
        radius = strand.width / 2 - strand.thickness / 2
        coils = coil(one, two, across, max(radius, 0.0), min(strand.turns, _MOST_TURNS), count)
        return Lies(coils, away, 1, 0.0)
    if strand.kind == "bellows":
        return Lies(np.stack([one, two]), away, 1, 0.0)
    places = np.stack([one, two])
    if strand.length:
        # As many where it is taut, so that one frame has what another has.
        places = hanging(one, two, strand.length, _HANGS)
    return Lies(places, max(strand.length, away), 1, _missing(strand, away))


def lying(pose: Pose) -> dict[str, Lies | None]:
    """How every strand of a rig lies, by id. It is found once for a pose."""
    ids = pose.program.rig.strands
    return _LYING.of(pose, lambda: {i: lies(pose, strand_in(pose, i)) for i in ids})


def strand_in(pose: Pose, strand_id: ThingId) -> Strand:
    """A strand with its numbers as they are in a pose, where something leads them."""
    strand = pose.program.rig.strands[strand_id]
    keys = {split(c)[1]: c for c in numbers_of(pose.program.rig, strand_id)}
    led = {name: pose.at(c) for name, c in keys.items() if c in pose.program.drives}
    return replace(strand, **led) if led else strand


def _missing(strand: Strand, way: float) -> float:
    return max(way - strand.length, 0.0) if strand.length else 0.0


def _place(pose: Pose, end: Waypoint) -> Array:
    frame = pose.frame_of(end.on)
    place: Array = carried(frame, end.at)
    return place


def _laid(pose: Pose, strand: Strand) -> Lies:
    """A rope over sheaves."""
    rope, followed = rope_in(pose, strand.through)
    wrong = ""
    if not followed:
        wrong = (
            f"{strand.name} has gone round a sheave too often to be counted from home, so its "
            "length is not known. Set home nearer to here."
        )
    elif rope.apart:
        one, two = rope.apart[0]
        wrong = (
            f"{strand.name} can't be laid from point {one + 1} to point {two + 1} here: one is "
            "within the sheave of the other. Move them apart, or make the sheave smaller."
        )
    elif rope.crossed:
        wrong = (
            f"{strand.name} runs through its sheave at point {rope.crossed[0] + 1}: it has come "
            "round to the other side of it. Let it go round the other side, or take that out."
        )
    return Lies(
        rope.places,
        rope.length,
        rope.falls,
        0.0 if wrong else _missing(strand, rope.length),
        tuple(int(k) for k in np.flatnonzero(~rope.touched)),
        rope.fleet,
        wrong,
    )


def pieces(strand: Strand, here: Lies) -> Array:
    """(n, 4, 4) world frames of what a strand is drawn with: bars along z, one metre long and
    thick, stretched to measure."""
    if strand.kind != "bellows":
        return bars(here.places, strand.thickness, 0.12 * strand.thickness)
    count = 2 * max(round(min(strand.turns, _MOST_TURNS)), 1)
    frames = bars(np.linspace(here.places[0], here.places[1], count + 1), 1.0)
    wide = np.where(np.arange(count) % 2 == 0, strand.width, 0.78 * strand.width)
    frames[:, :3, :2] *= wide[:, None, None]
    return frames


def bars(places: Array, thickness: float, overlap: float = 0.0) -> Array:
    """(n − 1, 4, 4) frames of bars along z from place to place, (n, 3) of them. overlap: how
    much longer each is than the way, so that no gap shows where they bend (m)."""
    way = np.diff(places, axis=0)
    size = np.linalg.norm(way, axis=1)
    frames = np.repeat(np.eye(4)[None], len(way), axis=0)
    up = np.broadcast_to(np.array([0.0, 0.0, 1.0]), way.shape)
    frames[:, :3, :3] = turns.least(up, np.where(size[:, None] > 0, turns.unit(way), up))
    frames[:, :3, 2] *= (size + overlap)[:, None]
    frames[:, :3, :2] *= thickness
    frames[:, :3, 3] = (places[1:] + places[:-1]) / 2
    return frames


def strand_notes(pose: Pose) -> list[Note]:
    """Strands that can't be drawn, and those that are too short where things stand."""
    notes = []
    for strand_id, strand in pose.program.rig.strands.items():
        if wrong := wrong_strand(pose.program.rig, strand):
            notes.append(Note("strand-wrong", strand.name, wrong))
            continue
        here = lying(pose)[strand_id]
        if here is not None and here.wrong:
            notes.append(Note("strand-laid", strand.name, here.wrong, "warning"))
        elif here is not None and here.missing > _SHORT:
            text = (
                f"{strand.name} is {show_short(here.missing, 'mm')} too short here: the way is "
                f"{show_short(here.length, 'm')}. Make it longer, or let what it ties go less far."
            )
            notes.append(Note("strand-short", strand.name, text, "warning"))
    return notes
