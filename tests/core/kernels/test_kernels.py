"""The compiled kernels against the same written in NumPy and plain Python."""

from __future__ import annotations

import copy
import pickle
import sys
import threading

import numpy as np
import pytest
from tests.plain import frames as plain_frames
from tests.plain import meshes as plain_meshes
from tests.plain import nearest as plain_nearest
from tests.plain import profiles as plain_profiles
from tests.plain import stops, walk

import gremio
from gremio.core.edit.builder import shape
from gremio.core.edit.closures import add_closure
from gremio.core.frames import Frame
from gremio.core.kernels import library
from gremio.core.mechanics import profile_bank
from gremio.core.mechanics.profiles import smooth, total
from gremio.core.mechanics.totals import totals
from gremio.core.rig.find import part_id
from gremio.core.rig.model import Closure, Joint, Part, Rig, Shape
from gremio.core.rig.solids import AnySolid, Ball, Box, Cylinder, Plate, SpurGear
from gremio.core.shape import meshes
from gremio.core.shape.geometry import Geometry
from gremio.core.shape.nearest import boxes_of, nearest
from gremio.core.shape.solids import geometry_of
from gremio.core.shape.surfaces import surface_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.frames import Finder, world_frames
from gremio.core.solve.limits import softly
from gremio.core.solve.loop_closing import MOST, close_many, table_of
from gremio.core.solve.loop_shape import Shape as LoopShape
from gremio.core.solve.loop_steps import LoopBatch
from gremio.core.solve.program import Program
from gremio.core.solve.steps import CamsStep, TrainStep

KINDS = ("fixed", "hinge", "spin", "slide", "cylinder", "wheel", "ball", "planar", "free")
SOLIDS: tuple[AnySolid, ...] = (
    Ball(diameter=1.0),
    SpurGear(module=0.1, teeth=17, width=0.2),
    Plate(length=2, width=1, thickness=0.1, holes=((0.2, 0.1, 0.3),)),
    Box(length=1, width=2, height=0.5),
    Cylinder(diameter=1, height=2),
)


def machine(rng: np.random.Generator, own: bool) -> Rig:
    parts: dict[str, Part] = {}
    for i in range(30):
        turn = rng.normal(size=(2, 4))
        turn /= np.linalg.norm(turn, axis=1)[:, None]
        kind = str(rng.choice(KINDS))
        axis = str(rng.choice(["x", "y"] if kind == "wheel" else ["x", "y", "z"]))
        scale = tuple(rng.uniform(0.5, 2.0, 3)) if i % 5 == 0 else (1.0, 1.0, 1.0)
        mount = Frame(tuple(rng.normal(size=3)), tuple(turn[0]), scale)
        stands = Frame(tuple(rng.normal(size=3)), tuple(turn[1])) if own else Frame()
        parent = None if i == 0 else f"p{rng.integers(i)}"
        parts[f"p{i}"] = Part(f"Part {i}", parent, mount, Joint(kind, axis), own=stands)  # type: ignore[arg-type]
    return Rig(parts=parts)


@pytest.mark.parametrize("own", [False, True])
@pytest.mark.parametrize("seed", range(8))
def test_world_frames(seed: int, own: bool) -> None:
    rng = np.random.default_rng(seed)
    program = compile_rig(machine(rng, own), geometry_of)
    channels = rng.uniform(-3, 3, (len(program.channel_keys), 17))
    plain = plain_frames.world_frames(program, channels)
    found = world_frames(program, channels)
    assert found == pytest.approx(plain, abs=1e-11)
    # Each part by itself, and in a frame alone, gives the same.
    finder = Finder(program, channels)
    each = finder.frames(program.part_ids).transpose(1, 0, 2, 3)
    assert each == pytest.approx(found, abs=1e-12)
    assert np.array_equal(world_frames(program, channels[:, 3:4]), found[3:4])


def test_a_frame_before_a_channel_leaves_out_what_comes_after() -> None:
    b = gremio.Builder("Rig")
    b.part("Cart", joint="slide x", at=(1, 0, 0))
    b.part("Wheel", on="Cart", joint="wheel y", at=(0, 2, 0))
    program = compile_rig(b.rig, geometry_of)
    pose = evaluate(program, {c: 0.3 + 0.1 * i for i, c in enumerate(program.channel_keys)})
    wheel = next(p for p in program.part_ids if b.rig.parts[p].name == "Wheel")
    finder = Finder(program, pose.channels)
    # Steered, and not spun: its y axis lies level as its steering says.
    before = finder.world(wheel, before="turn y")[0]
    steer = pose.named("Wheel turn z")[0]
    assert before[:3, 1] == pytest.approx([-np.sin(steer), np.cos(steer), 0], abs=1e-12)
    assert finder.world(wheel)[0, :3, 3] == pytest.approx(before[:3, 3], abs=1e-12)


def _blocks(program: Program, channels: np.ndarray, asked: np.ndarray) -> None:
    """What the blocks of a program of trains and stops alone do, by arrays."""
    channels[program.given_rows] = asked[program.given_rows]
    stops.hold(program.first, channels)
    for level in program.steps:
        for train in level.trains:
            train.run(channels, asked)
        stops.hold(level.limits, channels)


def train_rig(seed: int) -> Rig:
    rng = np.random.default_rng(seed)
    b = gremio.Builder("Trains")
    for i in range(12):
        low, high = sorted(rng.uniform(-3, 3, 2))
        part = b.part(f"Wheel {i}", shape(Cylinder(diameter=1, height=1)), joint="spin z")
        if rng.random() < 0.6:
            b.rig = gremio.set_stops(b.rig, f"{part} turn z", min(low, -0.1), max(high, 0.1))
    for i in range(8):
        b.ratio(f"Wheel {rng.integers(0, i + 1)}", f"Wheel {i + 1}", float(rng.uniform(-2, 2)))
    return b.rig


@pytest.mark.parametrize("seed", range(12))
def test_trains_and_stops(seed: int) -> None:
    program = compile_rig(train_rig(seed), geometry_of)
    assert any(isinstance(s, TrainStep) for level in program.steps for s in level.trains)
    rng = np.random.default_rng(seed)
    inputs = {c: rng.uniform(-5, 5, 9) for c in program.channel_keys}
    poses = evaluate(program, inputs)
    asked = np.empty_like(poses.channels)
    asked[:] = program.home[:, None]
    for channel, values in inputs.items():
        row = program.channel_row[channel]
        if program.inputs[row]:
            asked[row] = values
    channels = np.full_like(asked, np.nan)
    _blocks(program, channels, asked)
    assert poses.channels == pytest.approx(channels, abs=1e-13)
    assert poses.asked == pytest.approx(asked, abs=1e-13)


def test_what_slows_down_before_a_stop_does_so_by_the_same_law(lock: Rig) -> None:
    """The compiled stops against `softly`, which is checked by its own derivative."""
    program = compile_rig(lock, geometry_of)
    soft = [row for row in range(len(program.home)) if program.soft[:, row].any()]
    assert soft, "something in the demonstration slows down"
    for row in soft:
        if not program.inputs[row]:
            continue
        low, high, ways = program.low[row], program.high[row], program.soft[:, row]
        values = np.linspace(low - 1, high + 1, 301)
        poses = evaluate(program, {program.channel_keys[row]: values})
        assert poses.channels[row] == pytest.approx(softly(values, low, high, ways), abs=1e-12)


def test_what_is_no_plain_number_stands_at_home_and_is_told() -> None:
    program = compile_rig(train_rig(0), geometry_of)
    channel = next(c for c in program.channel_keys if program.inputs[program.channel_row[c]])
    for wild in (np.nan, np.inf, -np.inf, 1e301):
        poses = evaluate(program, {channel: np.array([0.05, wild])})
        row = program.channel_row[channel]
        assert poses.undefined[row].tolist() == [False, True]
        assert poses.asked[row, 1] == program.home[row] and np.isfinite(poses.worlds).all()


def test_cams(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    rng = np.random.default_rng(7)
    banks = [step for level in program.steps for step in level.sets if isinstance(step, CamsStep)]
    assert banks
    for step in banks:
        channels = rng.uniform(-2, 2, (len(program.channel_keys), 50))
        plain, span = plain_profiles.values(step.bank, channels[step.leads])
        found, span_too = profile_bank._cubics(step.bank, channels, step.leads)
        assert found == pytest.approx(plain, abs=1e-12)
        assert not len(span_too) or (span == span_too).all()


def test_totals_of_many_profiles() -> None:
    """Against the same profiles one by one, which are checked by quadrature."""
    rng = np.random.default_rng(9)
    profiles = []
    for _ in range(80):
        x = np.sort(rng.uniform(0, 10, int(rng.integers(2, 9))))
        profiles.append(smooth(x, rng.normal(size=len(x))))
    times = rng.uniform(-2, 13, 400)
    wanted = np.array([total(profile, times) for profile in profiles])
    assert totals(profiles, times, np.zeros(80)) == pytest.approx(wanted, abs=1e-12)
    assert totals([], times, np.zeros(0)).shape == (0, 400)


@pytest.mark.parametrize("seed", range(8))
def test_the_nearest_place_on_a_surface(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shapes = tuple(Shape(s, Frame(tuple(rng.normal(size=3)))) for s in SOLIDS)
    surface = surface_of(Part("Thing", shapes=shapes), geometry_of)
    assert surface is not None
    points = rng.normal(size=(60, 3)) * 2
    plain, _ = plain_nearest.nearest(surface, points)
    found, triangles = nearest(surface.boxes, points)
    # Where two places are as near, either will do; how far it is, is the same.
    away = [np.linalg.norm(places - points, axis=1) for places in (plain, found)]
    assert away[0] == pytest.approx(away[1], abs=1e-12)
    on, _ = plain_nearest._on_triangles(surface.corners[triangles], points)
    assert np.linalg.norm(on - found, axis=1).max() < 1e-9


def test_nearest_of_what_is_no_place() -> None:
    boxes = boxes_of(np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]], dtype=float))
    places, triangles = nearest(boxes, np.array([[np.nan, 0, 0], [5, 0, 2]]))
    assert np.isnan(places[0]).all() and places[1] == pytest.approx([1, 0, 0])
    assert triangles.tolist() == [0, 0]
    with pytest.raises(ValueError, match="plain numbers"):
        boxes_of(np.full((1, 3, 3), np.nan))
    # Many triangles in one place can't be parted, and are found all the same.
    same = boxes_of(np.repeat(np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]], dtype=float), 999, 0))
    assert nearest(same, np.array([[0.2, 0.2, 3.0]]))[0][0] == pytest.approx([0.2, 0.2, 0])


def rough(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
    """Triangles that share corners by place only, with thin, double and empty ones among them."""
    points = rng.integers(0, 4, (60, 3)).astype(float)
    triangles = rng.integers(0, 60, (150, 3))
    return points, triangles


@pytest.mark.parametrize("seed", range(6))
def test_meshes(seed: int) -> None:
    rng = np.random.default_rng(seed)
    points, triangles = rough(rng)
    found = meshes.tidied(points, triangles, np.eye(3))
    plain, kept = plain_meshes.welded_kept(points, triangles)
    assert (found.kept == kept).all() and found.broken == 0
    geometry = Geometry(found.points, found.triangles)
    assert np.array_equal(*(g.vertices[g.triangles] for g in (geometry, plain)))
    assert len(np.unique(found.triangles)) == len(found.points), "no point is without a triangle"
    check_mesh(geometry)


def test_what_is_broken_in_a_mesh_is_counted_and_left_out() -> None:
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [np.nan, 0, 0], [0, 0, 1], [1e300, 0, 0]])
    triangles = np.array([[0, 1, 2], [0, 1, 3], [0, 1, 6], [0, 1, -1], [0, 0, 1], [4, 1, 2]])
    turn = np.array([[0.0, 0.0, 1.0], [1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])
    found = meshes.tidied(points[:5], triangles, turn)
    assert found.kept.tolist() == [True, False, False, False, False, True] and found.broken == 3
    assert found.points == pytest.approx(points[[0, 1, 2, 4]] @ turn.T)
    # What fills more than there are numbers for is none.
    wide = meshes.tidied(np.array([[1e308, 0, 0], [-1e308, 0, 0], [0, 1, 0]]), [[0, 1, 2]], turn)
    assert wide.broken == 1 and not len(wide.points)
    nothing = meshes.tidied(np.zeros((0, 3)), np.zeros((0, 3), dtype=int), turn)
    assert not len(nothing.points) and not len(nothing.kept)


def test_moments_of_area_are_those_of_the_handbook() -> None:
    """A box's sides: area 2 (ab + bc + ca), and of each side b d³ / 12 about its middle, with
    Steiner's a² A (any handbook of mechanics)."""
    a, b, c = 1.0, 2.0, 0.5
    box = geometry_of(Box(length=a, width=b, height=c))
    told = meshes.moments(box.vertices, box.triangles, box.bounds.mean(axis=0))
    assert told[0] == pytest.approx(2 * (a * b + b * c + c * a))
    xx = 2 * (a**3 * b / 12 + a**3 * c / 12 + (a / 2) ** 2 * b * c)
    assert told[1] == pytest.approx(xx)
    assert told[4:] == pytest.approx([0, 0, 0], abs=1e-12)


@pytest.mark.parametrize("solid", SOLIDS, ids=lambda s: type(s).__name__)
def test_meshes_of_solids(solid: AnySolid) -> None:
    check_mesh(geometry_of(solid))


def check_mesh(geometry: Geometry) -> None:
    assert geometry.face_normals == pytest.approx(plain_meshes.face_normals(geometry), abs=1e-12)
    plain = plain_meshes.corner_normals(geometry)
    assert geometry.corner_normals == pytest.approx(plain, abs=1e-7)
    ours, theirs = geometry.edges, plain_meshes.edges(geometry)
    assert np.array_equal(ours.ends, theirs.ends) and np.array_equal(ours.sharp, theirs.sharp)
    assert ours.normals == pytest.approx(theirs.normals, abs=1e-12)


def test_very_many_faces_about_one_corner_are_drawn_flat() -> None:
    turn = np.linspace(0, 2 * np.pi, 3001)
    ring = np.stack([np.cos(turn), np.sin(turn), 0.3 * np.sin(40 * turn)], axis=1)
    cone = np.concatenate([[[0, 0, 9.0]], ring])
    fan = np.stack([np.zeros(3000, int), np.arange(1, 3001), np.arange(2, 3002)], axis=1)
    geometry = Geometry(cone, fan)
    assert geometry.corner_normals[:, 0] == pytest.approx(geometry.face_normals)
    size = np.linalg.norm(geometry.corner_normals, axis=2)
    assert size == pytest.approx(np.ones((3000, 3)))


def batches_of(rig: Rig) -> list[LoopBatch]:
    program = compile_rig(rig, geometry_of)
    return [batch for level in program.steps for batch in level.loops]


def test_loops_are_closed_as_in_plain_python(lock: Rig) -> None:
    """Every linkage of the demonstration, its leads put anywhere."""
    rng = np.random.default_rng(11)
    batches = batches_of(lock)
    assert batches
    for batch in batches:
        asked = np.repeat(batch.home[:, None], 3, axis=1)
        asked[:, :, batch.leads] += rng.uniform(-0.6, 0.6, asked[:, :, batch.leads].shape)
        found, gone, left = close_many(batch.table, batch.home, asked, MOST)
        result, share, gap = np.empty_like(asked), np.empty_like(gone), np.empty_like(gone)
        with np.errstate(all="ignore"):
            walk.close_many(batch.shapes, batch.home, asked, MOST, result, share, gap)
        assert gone == pytest.approx(share, abs=1e-7)
        assert found == pytest.approx(result, abs=1e-8)
        assert left.max() < 1e-9 or left == pytest.approx(gap, rel=1e-3)


def four_bar(ground: float, crank: float, coupler: float, rocker: float) -> LoopBatch:
    x = crank**2 + ground**2 - 2 * crank * ground + coupler**2 - rocker**2
    reach = ground - crank
    b = gremio.Builder("Four-bar")
    b.part("Crank", joint="hinge y", at=(0, 0, 0))
    b.part("Rocker", joint="hinge y", at=(ground, 0, 0))
    along = x / (2 * reach)
    up = float(np.sqrt(coupler**2 - along**2))
    b.part("Coupler", on="Crank", joint="hinge y", at=(crank, 0, 0))
    rig, _ = add_closure(
        b.rig,
        Closure(part_id(b.rig, "Coupler"), part_id(b.rig, "Rocker"),
                at_one=(along, 0, up), at_two=(along - reach, 0, up)),
    )  # fmt: skip
    return batches_of(rig)[0]


def test_far_round_is_the_same_as_near(four_bars: tuple[float, ...] = (4.0, 1.0, 3.5, 3.0)) -> None:
    """A crank goes round and round: after a hundred turns it stands as after none."""
    batch = four_bar(*four_bars)
    near = np.linspace(0.1, 6.2, 7)
    asked = np.repeat(batch.home[:, None], 14, axis=1)
    asked[0, :, batch.leads[0]] = np.concatenate([near, near + 200 * np.pi])
    found, gone, left = close_many(batch.table, batch.home, asked, MOST)
    assert (gone == 1.0).all() and left.max() < 1e-9
    turns = found[0, 7:, batch.found] - found[0, :7, batch.found]
    assert np.abs(turns - 2 * np.pi * np.round(turns / (2 * np.pi))).max() < 1e-8


def test_a_kernel_is_handed_nothing_that_refers_to_what_is_not_there() -> None:
    batch = four_bar(4.0, 1.0, 3.5, 3.0)
    for name, wrong in (("parents", 5), ("found", 9), ("ends", 7), ("kinds", 6), ("start", 30)):
        columns = {k: np.array(v) for k, v in batch.shapes._asdict().items()}
        columns[name][...] = wrong
        with pytest.raises(ValueError):
            table_of(LoopShape(**columns))
    with pytest.raises(ValueError, match="one size"):
        close_many(batch.table, batch.home, np.zeros((1, 2, 99)), MOST)
    with pytest.raises(ValueError, match="outside"):
        meshes.face_normals(np.zeros((3, 3)), np.array([[0, 1, 3]]))
    program = compile_rig(train_rig(1), geometry_of)
    with pytest.raises(ValueError, match="fewer"):
        world_frames(program, np.zeros((1, 1)))
    with pytest.raises(ValueError, match="C order"):
        library.address(np.zeros((4, 4))[:, 1:3])
    with pytest.raises(ValueError, match="does not read"):
        library.Table(library.structure(a="p"), {"a": np.zeros(3, dtype=np.float32)})
    with pytest.raises(MemoryError):
        library.had_room(-1)


def test_a_program_is_kept_and_copied_with_what_the_kernels_read(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    inputs = {c: 0.4 * k.high + 0.6 * k.low for c, k in lock.controls.items()}
    before = evaluate(program, inputs)
    for again in (pickle.loads(pickle.dumps(program.course)), copy.deepcopy(program.course)):
        program.__dict__["course"] = again
        assert np.array_equal(evaluate(program, inputs).channels, before.channels)


def test_threads_may_solve_at_once(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    inputs = {c: np.linspace(k.low, k.high, 40) for c, k in lock.controls.items()}
    wanted, wrong = evaluate(program, inputs).worlds, []

    def solve() -> None:
        for _ in range(3):
            if not np.array_equal(evaluate(program, inputs).worlds, wanted):
                wrong.append(1)

    threads = [threading.Thread(target=solve) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not wrong


def test_nothing_compiles_or_is_loaded_late() -> None:
    assert "numba" not in sys.modules
