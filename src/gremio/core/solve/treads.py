"""Where the links of treads lie, as everything stands."""

from __future__ import annotations

import functools
import math
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from gremio.core.arrays import Array, crossed
from gremio.core.edit.treads import wrong_tread
from gremio.core.frames import carried
from gremio.core.problem import Note
from gremio.core.quantity import show_small
from gremio.core.remembered import Remembered
from gremio.core.rig.channels import PITCH, SHIFT, key
from gremio.core.rig.ids import PartId, ThingId
from gremio.core.rig.model import Rig, Tread
from gremio.core.rig.numbers import counted
from gremio.core.shape.bands import Band, band_round, laid_round
from gremio.core.solve.pose import Pose, Poses

# Wheels whose axles are farther from one way than this (the sine of some 6°) are not in one plane.
_ASKEW = 0.1
# From how much of its pitch on a link that is drawn out is told.
_DRAWN_OUT = 0.02


class Wheels(NamedTuple):
    """The wheels of a tread as they stand in its frame. centres: (n, 3), all in the plane of the
    first. normal: (3,) the axle of the first. seat: (3,) the way from it to where links are seated
    when nothing has moved."""

    centres: Array
    radii: Array
    normal: Array
    seat: Array


class Links(NamedTuple):
    """The links of a tread. frames: (n, 4, 4) in its frame, x along and z outward. pitch: (m).
    length: of the band (m). wrong: why there are none."""

    frames: Array
    pitch: float
    length: float
    band: Band | None
    wrong: str = ""


def wheels_of(frames: Mapping[PartId, Array], tread: Tread) -> Wheels | None:
    """The wheels of a tread. frames: (4, 4) world frames by part, its own among them; None where
    their axles are not in one direction."""
    back = np.eye(4) if tread.on is None else np.linalg.inv(frames[tread.on])
    centres, axles = [], []
    for wheel in tread.wheels:
        assert wheel.on is not None
        seen = back @ frames[wheel.on]
        centres.append(carried(seen, wheel.at))
        axle = seen[:3, :3] @ wheel.axis
        axles.append(axle / np.linalg.norm(axle))
    normal = axles[0]
    if any(np.linalg.norm(crossed(axle, normal)) > _ASKEW for axle in axles):
        return None
    flat = np.array(centres)
    flat = flat - np.outer((flat - flat[0]) @ normal, normal)
    radii = np.array([wheel.radius for wheel in tread.wheels])
    return Wheels(flat, radii, normal, _seat(normal, tread.seat))


def _seat(normal: Array, angle: float) -> Array:
    """(3,) a way square to the normal, at an angle about it from the frame's x."""
    x = np.array([1.0, 0.0, 0.0]) if abs(normal[0]) < 0.9 else np.array([0.0, 0.0, 1.0])
    one = x - normal * float(x @ normal)
    one = one / np.linalg.norm(one)
    way: Array = math.cos(angle) * one + math.sin(angle) * crossed(normal, one)
    return way


@functools.lru_cache(maxsize=256)
def _band(
    centres: bytes, radii: bytes, normal: bytes, sag: float, up: bytes, hangs: bool
) -> Band | None:
    """As the wheels of most machines stand in their frame as they stood."""
    found = [np.frombuffer(one) for one in (centres, radii, normal, up)]
    return band_round(found[0].reshape(-1, 3), found[1], found[2], sag, found[3], hangs=hangs)


def band_of(frames: Mapping[PartId, Array], tread: Tread, sag: float) -> Band | None:
    """The band of a tread in its frame. frames: as `wheels_of` has them. sag: as it is (m)."""
    wheels = wheels_of(frames, tread)
    if wheels is None:
        return None
    up = np.array([0.0, 0.0, 1.0])
    if tread.on is not None:
        up = np.linalg.inv(frames[tread.on][:3, :3]) @ up
        up = up / np.linalg.norm(up)
    centres = np.ascontiguousarray(wheels.centres)
    return _band(
        centres.tobytes(), wheels.radii.tobytes(), np.ascontiguousarray(wheels.normal).tobytes(),
        sag, np.ascontiguousarray(up).tobytes(), tread.hangs,
    )  # fmt: skip


def laid_links(
    rig: Rig,
    frames: Mapping[PartId, Array],
    tread: Tread,
    numbers: tuple[int, float, float, float],
) -> Links:
    """The links of a tread. numbers: how many, their own pitch, the shift, the sag.

    The driving wheel takes them along: by as much of a turn as its rim goes on by the shift, a link
    for each 2 asin(p / 2r) of it, which of a sprocket is a link for each tooth.
    """
    count, own, shift, sag = numbers
    nothing = np.zeros((0, 4, 4))
    if wrong := wrong_tread(rig, tread):
        return Links(nothing, 0.0, 0.0, None, wrong)
    with np.errstate(all="ignore"):
        flat = not all(abs(np.linalg.det(frame)) > 0.0 for frame in frames.values())
    if flat:
        why = f"A wheel of {tread.name}, or what carries it, has no size. Take its scale out."
        return Links(nothing, 0.0, 0.0, None, why)
    wheels = wheels_of(frames, tread)
    if wheels is None:
        why = f"The axles of the wheels of {tread.name} do not lie in one direction. Turn one."
        return Links(nothing, 0.0, 0.0, None, why)
    band = band_of(frames, tread, sag)
    if band is None or 0 not in band.touched:
        why = (
            f"No band lies round the wheels of {tread.name} here: one is within another, or the "
            "driving one is not touched. Move them apart."
        )
        return Links(nothing, 0.0, 0.0, None, why)
    radius, length = float(wheels.radii[0]), band.course.length
    pitch = own or length / max(count, 1)
    if not 0.0 < pitch < 2 * radius or count < 3:
        why = (
            f"The links of {tread.name} are too long for its driving wheel, or fewer than three. "
            "Make them shorter, or more."
        )
        return Links(nothing, 0.0, length, band, why)
    place = int(np.flatnonzero(band.touched == 0)[0])
    middle = float(band.on[place].mean())
    # How far round the driving wheel its middle is from where a link was seated at first, counted
    # in links.
    out = band.course.places(np.array([middle % length])).at[0] - wheels.centres[0]
    angle = math.atan2(float(crossed(wheels.seat, out) @ wheels.normal), float(wheels.seat @ out))
    gone = (angle - shift / radius) / (2 * math.asin(pitch / (2 * radius)))
    whole = math.floor(gone)
    laid = laid_round(band.course, count, middle, gone - whole)
    if laid is None:
        why = (
            f"{count} links can't be laid round {tread.name}: they are too long for how sharply it "
            "bends. Let there be more of them."
        )
        return Links(nothing, 0.0, length, band, why)
    made = np.repeat(np.eye(4)[None], count, axis=0)
    along = np.diff(laid.pins, axis=0) / laid.pitch
    made[:, :3, 0], made[:, :3, 1] = along, wheels.normal
    made[:, :3, 2] = crossed(along, wheels.normal)
    made[:, :3, 3] = (laid.pins[1:] + laid.pins[:-1]) / 2
    # The first that was seated is the first, wherever it has gone to.
    return Links(np.roll(made, whole % count, axis=0), laid.pitch, length, band)


_LAID: Remembered[dict[ThingId, Links]] = Remembered()
# How each lay when it was laid last, and all that said so: most of a machine stands while something
# is pulled, or goes through its travel.
_Which = tuple[bytes, tuple[int, float, float, float]]
_LAST: Remembered[dict[ThingId, tuple[_Which, Links]]] = Remembered()


def links_now(pose: Pose, tread_id: ThingId) -> Links:
    """The links of a tread (by id) as everything stands."""
    known = _LAID.of(pose, dict)
    if tread_id not in known:
        known[tread_id] = _links_in(pose.poses, 0, tread_id)
    return known[tread_id]


def _links_in(poses: Poses, frame: int, tread_id: ThingId) -> Links:
    program = poses.program
    tread = program.rig.treads[tread_id]
    row = program.part_row

    def value(channel: str, of: ThingId) -> float:
        at = program.channel_row.get(key(of, channel))
        if at is not None:
            return float(poses.channels[at, frame])
        return float(getattr(tread, channel))

    entry = program.rig.parts.get(tread.link)
    if entry is None or entry.repeat is None:
        return Links(np.zeros((0, 4, 4)), 0.0, 0.0, None, wrong_tread(program.rig, tread))
    count = max(0, int(counted(value("count", tread.link))))
    pitch, shift = (value(names[entry.repeat.along], tread.link) for names in (PITCH, SHIFT))
    needed = (*(wheel.on for wheel in tread.wheels), tread.on)
    frames = {part: poses.worlds[frame, row[part]] for part in needed if part in row}
    numbers = count, pitch, shift, value("sag", tread_id)
    which = b"".join(world.tobytes() for world in frames.values()), numbers
    last = _LAST.of(program, dict)
    known = last.get(tread_id)
    if known is None or known[0] != which:
        known = last[tread_id] = which, laid_links(program.rig, frames, tread, numbers)
    return known[1]


def tread_steps(poses: Poses, frame: int, tread_id: ThingId, count: int) -> Array:
    """(count, 4, 4) where the links of a tread are in its frame, in one of the frames; where they
    can't be laid all are at its zero."""
    found = _links_in(poses, frame, tread_id).frames
    return found if len(found) == count else np.repeat(np.eye(4)[None], count, axis=0)


def tread_notes(pose: Pose) -> list[Note]:
    """Treads that can't be laid, and those whose links are drawn out."""
    notes = []
    for tread_id, tread in pose.program.rig.treads.items():
        found = links_now(pose, tread_id)
        if found.wrong:
            notes.append(Note("tread-laid", tread.name, found.wrong, "warning"))
            continue
        entry = pose.program.rig.parts[tread.link]
        own = pose.at(key(tread.link, "pitch")) if entry.repeat is not None else 0.0
        if own and abs(found.pitch - own) > _DRAWN_OUT * own:
            count = len(found.frames)
            better = max(round(count * found.pitch / own), 3)
            text = (
                f"The links of {tread.name} are {show_small(own, 'mm')} from joint to joint, and "
                f"{count} of them would have to be {show_small(found.pitch, 'mm')} to go round. "
                f"{better} fit best."
            )
            notes.append(Note("tread-drawn-out", tread.name, text, "warning"))
    return notes
