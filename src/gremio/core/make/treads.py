"""Making treads and chains: a band round wheels, its links, and what turns with what."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import NamedTuple

import numpy as np
from msgspec.structs import replace

from gremio.core.arrays import Array, crossed
from gremio.core.edit.change import must_have
from gremio.core.edit.controls import all_home
from gremio.core.edit.links import add_link
from gremio.core.edit.parts import add_part, change_part, set_joint, set_parent
from gremio.core.edit.treads import add_tread
from gremio.core.frames import IDENTITY, Frame, carried, frame_of, triple
from gremio.core.make.band_wheels import BandWheel, band_wheel, in_part, turning
from gremio.core.make.vertices import world_vertices
from gremio.core.plan.carrying import carriers
from gremio.core.problem import GremioError
from gremio.core.rig.channels import SHIFT, key
from gremio.core.rig.find import free_name, names_in
from gremio.core.rig.ids import GROUND, PartId, ThingId
from gremio.core.rig.links import followers
from gremio.core.rig.model import Joint, Part, Ratio, Repeat, Rig, Shape, Tread, Waypoint
from gremio.core.rig.solids import Box, Cylinder
from gremio.core.shape.bands import Band, band_round, laid_round
from gremio.core.shape.geometry import GeometryOf
from gremio.core.solve.ask import solve
from gremio.core.solve.pose import Pose
from gremio.core.solve.treads import band_of, laid_links

# What a made link is of, as shares: of the wheel's rim its height, of its pitch the length of its
# plate; a chain's roller and plates, of its pitch (ISO 606 has 0.67 for the roller of 08B).
_HEIGHT, _PLATE, _LINKS_A_RIM = 0.10, 0.93, 0.42
_ROLLER, _SIDE, _STEEL = 0.67, 0.9, 0.13
# A wheel that the band goes round by so much (rad) has it turn with its pitch line; on any other a
# straight run goes over its rim.
_TURNS_WITH = math.radians(60)
# A link that lies so near to the band, in its own heights, stands on it as it is.
_NEAR = 1.5
_MOST_LINKS = 2000
_HALVINGS = 80


class LinkSize(NamedTuple):
    """How a link is built (m): along the band, and across it outward. own: (4, 4) what brings its
    part's frame to the middle of a link, x along and z outward; None for one to be made."""

    long: float
    high: float
    own: Array | None


def make_tread(
    rig: Rig,
    wheels: Sequence[PartId],
    *,
    link: PartId | None = None,
    inside: Collection[PartId] = (),
    count: int = 0,
    pitch: float = 0.0,
    chain: bool = False,
    name: str = "",
    geometry: GeometryOf,
) -> tuple[Rig, ThingId]:
    """The rig with links that go round wheels, and the tread's id.

    wheels: ids; the first drives. Their order round the band is found. link: id of the part that is
    its link, x along and z outward, or as it lies on the band; None makes one. inside: those of the
    wheels on whose other side the band runs. count, pitch (m): where one is said; else the pitch is
    that of the link, or fits the wheel, and the count what is nearest. The links are stretched so
    that they close. chain: it runs in teeth: its pitch is theirs, its count the next whole even
    one, and what is too long of it hangs. Wheels that nothing leads turn with the first. Raises
    GremioError.
    """
    if len(wheels) < 2 or len(set(wheels)) < len(wheels):
        raise GremioError("A band goes round two wheels at least, each of them once.")
    home = solve(all_home(rig), geometry=geometry)
    for part in wheels:
        rig = turning(rig, part, home, geometry)
    home = solve(all_home(rig), geometry=geometry)
    read = [band_wheel(rig, home, part, geometry) for part in wheels]
    on = _common_carrier(rig, wheels)
    driver = read[0]
    if driver.part in inside:
        raise GremioError("The first wheel drives the band, so it can't run on its other side.")
    if chain and not driver.teeth:
        entry = rig.parts[driver.part].name
        raise GremioError(
            f"{entry} has no teeth that could be counted, so no chain runs in it. Choose a "
            "sprocket first, or make a tread."
        )
    size = _size_of(rig, home, link, driver, pitch, chain, geometry)
    read = _in_order(read, inside)
    tread = _tread(rig, home, on, read, inside, size, chain, name)
    bare = band_of(_frames(home, tread), tread, 0.0)
    if bare is None or 0 not in bare.touched:
        raise GremioError(
            "No band lies round these wheels: one is within another, or the first is not touched. "
            "Choose others, or say on which the band runs inside."
        )
    count = count or _count(bare, size.long, chain)
    if not 3 <= count <= _MOST_LINKS:
        raise GremioError(
            f"{count} links can't be laid round: it takes from 3 to {_MOST_LINKS}. Take another "
            "pitch."
        )
    if chain:
        tread = replace(tread, sag=_slack(home, tread, count, size.long), hangs=True)
        own = size.long
    else:
        own = _closing(bare, count)
    name = tread.name
    if link is None:
        rig, link = _made_link(rig, driver, own, size.high, chain, f"{name} link")
        rig = _put_link(rig, link, on, None)
    else:
        rig = _put_link(rig, link, on, _own_on_band(home, link, on, bare, size, driver))
    # Its id is known when it is made, and what is repeated along it must be there first.
    rig, tread_id = add_tread(rig, replace(tread, link=link))
    repeat = Repeat("tread", count=count, pitch=own, path=tread_id)
    rig = change_part(rig, link, replace(rig.parts[link], repeat=repeat))
    return _turning_together(rig, home, tread_id, read, bare, chain), tread_id


# ── reading ────────────────────────────────────────────────────────


def _common_carrier(rig: Rig, wheels: Sequence[PartId]) -> PartId | None:
    """Id of the nearest part that carries all wheels; None for the ground."""
    above = [carriers(rig, rig.parts[part].parent) for part in wheels]
    return next((part for part in above[0] if all(part in chain for chain in above)), None)


def _size_of(
    rig: Rig,
    home: Pose,
    link: PartId | None,
    driver: BandWheel,
    pitch: float,
    chain: bool,
    geometry: GeometryOf,
) -> LinkSize:
    if not (math.isfinite(pitch) and pitch >= 0.0):
        raise GremioError("A pitch is a length above zero.")
    in_teeth = 2 * driver.pitch * math.sin(math.pi / driver.teeth) if chain else 0.0
    if link is None:
        long = pitch or in_teeth or _LINKS_A_RIM * driver.rim
        return LinkSize(long, 0.0 if chain else _HEIGHT * driver.rim, None)
    must_have(rig.parts, link, "part")
    corners = world_vertices(rig, home, link, geometry)
    inside = carried(np.linalg.inv(home.world(link)), corners)
    low, high = inside.min(axis=0), inside.max(axis=0)
    extent = high - low
    if not (extent[0] > 0 and np.isfinite(extent).all()):
        raise GremioError(f"{rig.parts[link].name} has no length along its x. Turn its frame.")
    centred = np.eye(4)
    centred[:3, 3] = -(low + high) / 2
    long = pitch or in_teeth or float(extent[0])
    return LinkSize(long, 0.0 if chain else float(extent[2]), centred)


def _in_order(read: list[BandWheel], inside: Collection[PartId]) -> list[BandWheel]:
    """Wheels as they follow one another round the band, about the axle of the first, from it on.
    Those on whose other side it runs go where the band is least long with them."""
    first = read[0]
    middle = np.mean([wheel.centre for wheel in read if wheel.part not in inside], axis=0)
    x = first.tooth
    y = crossed(first.axle, x)

    def angle(wheel: BandWheel) -> float:
        out = wheel.centre - middle
        return math.atan2(float(out @ y), float(out @ x))

    around = sorted((wheel for wheel in read if wheel.part not in inside), key=angle)
    for wheel in (wheel for wheel in read if wheel.part in inside):
        tried = [[*around[: i + 1], wheel, *around[i + 1 :]] for i in range(len(around))]
        around = min(tried, key=lambda order: _length_round(order, inside, first.axle))
    place = around.index(first)
    return [*around[place:], *around[:place]]


def _length_round(order: list[BandWheel], inside: Collection[PartId], axle: Array) -> float:
    centres = np.array([wheel.centre for wheel in order])
    flat = centres - np.outer((centres - centres[0]) @ axle, axle)
    radii = np.array([-w.rim if w.part in inside else w.rim for w in order])
    band = band_round(flat, radii, axle)
    if band is None or len(band.touched) < len(order):
        return math.inf
    return band.course.length


def _tread(
    rig: Rig,
    home: Pose,
    on: PartId | None,
    read: list[BandWheel],
    inside: Collection[PartId],
    size: LinkSize,
    chain: bool,
    name: str,
) -> Tread:
    word = "chain" if chain else "tread"
    called = name or free_name(names_in(rig), f"{rig.parts[read[0].part].name} {word}")
    wheels = []
    for wheel in read:
        if chain and wheel.teeth:
            radius = size.long / (2 * math.sin(math.pi / wheel.teeth))
        else:
            radius = wheel.rim + size.high / 2
        at, axis = in_part(home, wheel.part, wheel.centre, wheel.axle)
        axis = axis / np.linalg.norm(axis)
        side = -1.0 if wheel.part in inside else 1.0
        wheels.append(Waypoint(wheel.part, triple(at), side * radius, triple(axis)))
    return Tread(called, GROUND, tuple(wheels), on, _seat_of(home, on, read[0], chain))


def _seat_of(home: Pose, on: PartId | None, driver: BandWheel, chain: bool) -> float:
    """Where on the driving wheel links are seated (rad), from the frame's x: between two of its
    teeth, where it has some."""
    back = np.linalg.inv(home.frame_of(on))
    axle = back[:3, :3] @ driver.axle
    axle = axle / np.linalg.norm(axle)
    x = np.array([1.0, 0.0, 0.0]) if abs(axle[0]) < 0.9 else np.array([0.0, 0.0, 1.0])
    one = x - axle * float(x @ axle)
    two = crossed(axle, one)
    tooth = back[:3, :3] @ driver.tooth
    found = math.atan2(float(tooth @ two), float(tooth @ one))
    return found + math.pi / driver.teeth if chain else found


def _frames(home: Pose, tread: Tread) -> dict[PartId, Array]:
    parts = [wheel.on for wheel in tread.wheels if wheel.on is not None]
    found = {part: home.world(part) for part in parts}
    if tread.on is not None:
        found[tread.on] = home.world(tread.on)
    return found


# ── how many links ─────────────────────────────────────────────────


def _count(band: Band, long: float, chain: bool) -> int:
    links = band.course.length / long
    if not chain:
        return round(links)
    whole = math.ceil(links - 1e-9)
    return whole + whole % 2


def _closing(band: Band, count: int) -> float:
    """The pitch (m) at which so many links close."""
    laid = laid_round(band.course, count, 0.0, 0.0)
    if laid is None:
        raise GremioError(
            f"{count} links are too long for how sharply the band bends. Let there be more of them."
        )
    return laid.pitch


def _slack(home: Pose, tread: Tread, count: int, pitch: float) -> float:
    """How far a chain hangs (m) that has so many links of a pitch: halved down to where it closes
    at just that."""
    frames = _frames(home, tread)
    hanging = replace(tread, hangs=True)

    def pitch_at(sag: float) -> float:
        band = band_of(frames, hanging, sag)
        laid = None if band is None else laid_round(band.course, count, 0.0, 0.0)
        return math.inf if laid is None else laid.pitch

    if pitch_at(0.0) >= pitch:
        return 0.0
    low, high = 0.0, pitch
    while pitch_at(high) < pitch:
        low, high = high, 2 * high
        if high > count * pitch:
            raise GremioError(
                f"{count} links are far more than the way round. Let there be fewer, or move the "
                "wheels apart."
            )
    for _ in range(_HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if pitch_at(middle) < pitch else (low, middle)
    return (low + high) / 2


# ── links ──────────────────────────────────────────────────────────


def _made_link(
    rig: Rig, driver: BandWheel, pitch: float, high: float, chain: bool, name: str
) -> tuple[Rig, PartId]:
    """The rig with a link: a plate with a bar across, or a roller with its two sides."""
    steel, dark = "#8d989c", "#6f7a80"
    wide = driver.wide
    if chain:
        across = Frame(turn=(math.sqrt(0.5), math.sqrt(0.5), 0.0, 0.0))
        thick = _STEEL * pitch
        at = wide / 2 + 0.6 * thick
        shapes = [
            Shape(Cylinder(diameter=_ROLLER * pitch, height=wide),
                  replace(across, at=(-pitch / 2, 0.0, 0.0)), steel),
            Shape(Cylinder(diameter=0.36 * pitch, height=wide + 4 * thick),
                  replace(across, at=(-pitch / 2, 0.0, 0.0)), dark),
            *(Shape(Box(length=pitch * (1 + _SIDE / 2), width=thick, height=_SIDE * pitch * 0.8),
                    Frame(at=(0.0, side * at, 0.0)), steel) for side in (1, -1)),
        ]  # fmt: skip
    else:
        wide *= 1.08
        bar = 0.5 * high
        shapes = [
            Shape(Box(length=_PLATE * pitch, width=wide, height=high), IDENTITY, steel),
            Shape(Box(length=0.16 * pitch, width=wide, height=bar),
                  Frame(at=(0.0, 0.0, high / 2 + bar / 2)), dark),
        ]  # fmt: skip
    called = free_name(names_in(rig), name)
    return add_part(rig, Part(called, shapes=tuple(shapes), stand_in="full"))


def _own_on_band(
    home: Pose, link: PartId, on: PartId | None, band: Band, size: LinkSize, driver: BandWheel
) -> Array:
    """(4, 4) how a link's part stands in the middle of a link: as it lies, where it lies on the
    band; else its x along and its z outward."""
    assert size.own is not None
    middle = carried(home.world(link), np.linalg.inv(size.own)[:3, 3])
    back = np.linalg.inv(home.frame_of(on))
    at = carried(back, middle)
    way = band.course.way_to(at[None])
    place = band.course.places(way)
    axle = back[:3, :3] @ driver.axle
    axle = axle / np.linalg.norm(axle)
    off = at - place.at[0]
    aside = float(off @ axle)
    if np.linalg.norm(off - aside * axle) > _NEAR * max(size.high, 1e-9):
        return size.own
    stands = np.eye(4)
    stands[:3, 0], stands[:3, 1] = place.forward[0], axle
    stands[:3, 2] = crossed(place.forward[0], axle)
    stands[:3, 3] = place.at[0]
    own: Array = np.linalg.inv(stands) @ back @ home.world(link)
    return own


def _put_link(rig: Rig, link: PartId, on: PartId | None, own: Array | None) -> Rig:
    """The rig with a link mounted where its tread lies, to be repeated from there."""
    rig = set_parent(rig, link, on, IDENTITY)
    rig = set_joint(rig, link, Joint())
    frame = IDENTITY if own is None else frame_of(own)
    return change_part(rig, link, replace(rig.parts[link], mount=IDENTITY, own=frame, repeat=None))


# ── what turns with what ───────────────────────────────────────────


def _turning_together(
    rig: Rig, home: Pose, tread_id: ThingId, read: list[BandWheel], band: Band, chain: bool
) -> Rig:
    """The rig in which the links go with the driving wheel, and the other wheels too where nothing
    leads them."""
    tread, driver = rig.treads[tread_id], read[0]
    radius = tread.wheels[0].radius
    shift = key(tread.link, SHIFT["tread"])
    rig, _ = add_link(rig, Ratio(driver.turn, shift, radius, adds=True))
    led = {c for link in rig.links.values() for c in followers(link)}
    wraps = dict(zip(band.touched.tolist(), band.wrap.tolist(), strict=True))
    for place, wheel in enumerate(read[1:], start=1):
        if wheel.turn in led or place not in wraps:
            continue
        line = abs(tread.wheels[place].radius)
        side = math.copysign(1.0, tread.wheels[place].radius)
        side *= math.copysign(1.0, float(wheel.axle @ driver.axle))
        if chain and wheel.teeth:
            seated = side * _off_its_seat(rig, home, tread_id, place, wheel)
            made = Ratio(driver.turn, wheel.turn, side * driver.teeth / wheel.teeth, seated,
                         kind="chain", pair=(wheel.teeth, side * driver.teeth))  # fmt: skip
        else:
            line = abs(tread.wheels[place].radius)
            size = line if wraps[place] > _TURNS_WITH else wheel.rim
            made = Ratio(driver.turn, wheel.turn, side * radius / size, kind="belt")
        rig, _ = add_link(rig, made)
    return rig


def _off_its_seat(rig: Rig, home: Pose, tread_id: ThingId, place: int, wheel: BandWheel) -> float:
    """How far (rad, about the driving axle) a sprocket is to be turned, so that a joint of its
    chain stands between two of its teeth."""
    tread = rig.treads[tread_id]
    repeat = rig.parts[tread.link].repeat
    assert repeat is not None
    found = laid_links(
        rig, _frames(home, tread), tread, (repeat.count, repeat.pitch, 0.0, tread.sag)
    )
    back = np.linalg.inv(home.frame_of(tread.on))
    centre, tooth = carried(back, wheel.centre), back[:3, :3] @ wheel.tooth
    axle = back[:3, :3] @ home.world(tread.wheels[0].on or GROUND)[:3, :3] @ tread.wheels[0].axis
    axle = axle / np.linalg.norm(axle)
    if found.wrong or found.band is None:
        return 0.0
    row = int(np.flatnonzero(found.band.touched == place)[0])
    middle = found.band.course.places(np.array([found.band.on[row].mean()])).at[0]
    pins = found.frames[:, :3, 3] - found.frames[:, :3, 0] * found.pitch / 2
    pin = pins[int(np.argmin(np.linalg.norm(pins - middle, axis=1)))] - centre
    angle = math.atan2(float(crossed(tooth, pin) @ axle), float(tooth @ pin))
    step = 2 * math.pi / wheel.teeth
    return (angle / step - 0.5 - round(angle / step - 0.5)) * step
