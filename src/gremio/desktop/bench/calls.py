"""What is drawn of surfaces on the graphics side: how much of each, in which order, in pieces."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

import moderngl

from gremio.core.arrays import Array
from gremio.core.shape.geometry import Geometry
from gremio.core.surfaces.shown import Shown

# As long as a call takes by itself, so many triangles are drawn.
_CALL = 150


class Level(NamedTuple):
    """A surface as it is, or rougher. first, corners: where in its order it is, and how long.
    side: how far at most a corner is from where it was, along each axis (m)."""

    first: int
    corners: int
    side: float


class Uploaded(NamedTuple):
    """One surface on the graphics side. picture: of what it wears, if anything. fill: what draws it
    in its paint. content, order: of what anything else draws it, and others: that, by its program.
    places: the buffer of its instances. ball: (4,) the middle and the radius of a ball round it.
    levels: itself first, then rougher and rougher. closed: whether it is never seen from within but
    by an eye that is there. blends: whether what is behind it may be seen through it."""

    geometry: Geometry
    wears: Shown | None
    picture: moderngl.Texture | None
    fill: moderngl.VertexArray
    content: list[tuple[Any, ...]]
    order: moderngl.Buffer
    others: dict[int, moderngl.VertexArray]
    places: moderngl.Buffer
    ball: Array
    levels: tuple[Level, ...]
    closed: bool
    blends: bool


class Call(NamedTuple):
    """Some triangles of a surface that is in sight. times: at how many places it stands.
    turns_away: whether what turns away is left out. touched: whether a hand is over one, or has
    selected one."""

    drawn: Uploaded
    level: Level
    times: int
    turns_away: bool
    touched: bool


def level_for(drawn: Uploaded, rough: float, pixels: float) -> Level:
    """What is drawn of a surface that may be so rough (px), where a metre is so many pixels."""
    chosen = drawn.levels[0]
    for level in drawn.levels[1:]:
        if level.side * pixels <= rough:
            chosen = level
    return chosen


def pieces_of(calls: list[Call], most: float) -> Iterator[list[Call]]:
    """Calls in groups of so many triangles, of which a call counts as some; those of more are cut
    up."""
    if not calls:
        return
    if sum(call.level.corners / 3 * call.times + _CALL for call in calls) <= most:
        yield calls
        return
    piece: list[Call] = []
    room = most
    for call in calls:
        first, left = call.level.first, call.level.corners
        while left > 0:
            some = min(left, 3 * max(int(room / call.times), 1))
            piece.append(call._replace(level=Level(first, some, call.level.side)))
            room -= some / 3 * call.times + _CALL
            first, left = first + some, left - some
            if room <= 0:
                yield piece
                piece, room = [], most
    if piece:
        yield piece
