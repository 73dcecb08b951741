"""Measurements of closed linkages, and of what is seated on a surface."""

from __future__ import annotations

import msgspec
import numpy as np
import trimesh
from measuring import ChannelsOnly, Row, against, best, hinged_tree
from scipy.optimize import least_squares

import gremio
from gremio.core.edit.builder import shape
from gremio.core.rig.channels import MOVES, TURNS
from gremio.core.rig.find import part_id
from gremio.core.rig.model import (
    Rig,
    Seat,
    Target,
)
from gremio.core.rig.solids import Box
from gremio.core.shape.solids import geometry_of
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.evaluate import evaluate

LENGTHS = (0.40, 1.20, 0.80, 1.00)
CRANK, ROD, ROCKER = (np.radians(v) for v in (40.0, 20.298, 57.325))


def four_bar(build: gremio.Builder, at: float = 0.0, name: str = "") -> None:
    """A four-bar linkage: crank, coupler, rocker, pinned together."""
    a, b, c, d = LENGTHS
    build.part(f"Crank{name}", at=(0, at, 0), turned=(0, 0, CRANK), joint="spin z")
    build.part(f"Coupler{name}", on=f"Crank{name}", at=(a, 0, 0), turned=(0, 0, ROD - CRANK),
               joint="spin z")  # fmt: skip
    build.part(f"Rocker{name}", at=(d, at, 0), turned=(0, 0, ROCKER), joint="spin z")
    build.rig = gremio.pin(build.rig, f"Coupler{name}", f"Rocker{name}", (b, 0, 0), (c, 0, 0))


def closed_form(crank: np.ndarray) -> np.ndarray:
    """The angle of the rocker, in closed form (a textbook's)."""
    a, b, c, d = LENGTHS
    k1, k2, k3 = d / a, d / c, (a * a - b * b + c * c + d * d) / (2 * a * c)
    p = np.cos(crank) - k1 - k2 * np.cos(crank) + k3
    q, r = -2 * np.sin(crank), k1 - (k2 + 1) * np.cos(crank) + k3
    return 2 * np.arctan2(-q - np.sqrt(q * q - 4 * p * r), 2 * p)


def linkages() -> list[Row]:
    """(k) closed linkages: one for many angles, many at once, and a tall one."""
    build = gremio.Builder("Four-bar")
    four_bar(build)
    program = compile_rig(build.rig, geometry_of)
    crank = np.linspace(0, 2 * np.pi, 10_000)
    channels = ChannelsOnly(program, {"p1 turn z": crank})
    row = program.channel_row["p3 turn z"]
    off = channels.run()[row] + ROCKER - closed_form(crank + CRANK)
    assert np.abs((off + np.pi) % (2 * np.pi) - np.pi).max() < 1e-9
    mine, other = against(channels.run, lambda: closed_form(crank + CRANK), 4)
    a, b, c, d = LENGTHS

    def gap(q: np.ndarray, angle: float) -> list[float]:
        return [
            a * np.cos(angle) + b * np.cos(q[0]) - d - c * np.cos(q[1]),
            a * np.sin(angle) + b * np.sin(q[0]) - c * np.sin(q[1]),
        ]

    few = crank[::50] + CRANK

    def one_by_one() -> None:
        q = np.array([ROD, ROCKER])
        for angle in few:
            q = least_squares(gap, q, args=(angle,), xtol=1e-14, ftol=1e-14, gtol=1e-14).x

    slow = best(one_by_one, 2) * len(crank) / len(few)
    rows: list[Row] = [
        ("(k) a four-bar for 10,000 crank angles", "its closed form in NumPy",
         f"{mine * 1e3:.0f} ms", f"{other * 1e3:.2f} ms", f"{mine / other:.0f} ×"),
        ("(k) a four-bar for 10,000 crank angles",
         f"`scipy.optimize.least_squares` an angle, {len(few)} of them",
         f"{mine * 1e3:.0f} ms", f"{slow:.1f} s", f"{slow / mine:.0f} × faster"),
    ]  # fmt: skip
    build = gremio.Builder("Many")
    for i in range(200):
        four_bar(build, float(i), f" {i}")
    many = compile_rig(build.rig, geometry_of)
    cranks = {
        f"{part} turn z": 0.3 for part, entry in build.rig.parts.items() if "Crank" in entry.name
    }
    tree = hinged_tree(1_000)
    open_tree = compile_rig(tree, geometry_of)
    inputs = dict.fromkeys(tree.controls, 0.1)
    mine, other = against(
        lambda: evaluate(many, cranks).worlds, lambda: evaluate(open_tree, inputs).worlds, 4
    )
    rows.append((
        "(k) 200 four-bars in one rig, one pose, 0.3 rad from home",
        "its own pose of 1,000 hinged parts without loops",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.2f} ms", f"{mine / other:.1f} ×",
    ))  # fmt: skip
    lift = compile_rig(scissor(40), geometry_of)
    drawn = np.linspace(0, -0.6, 24)
    heights = evaluate(lift, {"p1 move x": drawn})
    top = heights.worlds[:, lift.part_row[part_id(lift.rig, "A39")]] @ np.array([1.0, 0, 0, 1])
    wanted = 40 * np.sqrt(1 - (np.cos(0.2) + drawn) ** 2)
    assert np.abs(top[:, 2] - wanted).max() < 1e-8
    pose = ChannelsOnly(lift, {"p1 move x": -0.6})
    mine = best(pose.run, 3)
    rows.append((
        "(k) a scissor lift of 40 stages, 80 joints solved together, one pose at full height",
        "n·L·sin θ, to 1e-8 m", f"{mine * 1e3:.0f} ms", "", "",
    ))  # fmt: skip
    return rows


def scissor(stages: int) -> Rig:
    """A scissor lift of arms a metre long, low at home."""
    low = 0.2
    build = gremio.Builder("Lift")
    build.part("Nut", at=(np.cos(low), 0, 0), joint="slide x")
    turn = {"up": -low, "down": low - np.pi}
    left, right = "Nut", ""
    for stage in range(stages):
        first = stage == 0
        at = (0.0 if first else 1.0, 0, 0)
        build.part(f"A{stage}", on=None if first else left, at=at, joint="hinge y",
                   turned=(0, turn["up"] - (0.0 if first else turn["down"]), 0))  # fmt: skip
        build.part(f"B{stage}", on=right or left, at=at, joint="hinge y",
                   turned=(0, turn["down"] - (0.0 if first else turn["up"]), 0))  # fmt: skip
        build.rig = gremio.pin(build.rig, f"A{stage}", f"B{stage}", (0.5, 0, 0), (0.5, 0, 0))
        left, right = f"B{stage}", f"A{stage}"
    return build.rig


def seats() -> list[Row]:
    """(l) 500 parts seated on a surface of 100,000 triangles, one pose."""
    from gremio.core.shape.geometry import Geometry

    grid = np.linspace(-1, 1, 224)
    x, y = np.meshgrid(grid, grid, indexing="ij")
    vertices = np.stack([x, y, 0.2 * np.sin(3 * x) * np.cos(4 * y)], axis=-1).reshape(-1, 3)
    corner = (np.arange(223)[:, None] * 224 + np.arange(223)).ravel()
    square = np.stack([corner, corner + 224, corner + 225, corner + 1], axis=1)
    triangles = np.concatenate([square[:, [0, 1, 2]], square[:, [0, 2, 3]]])
    hill = Geometry(vertices, triangles)
    random = np.random.default_rng(1)
    places = np.column_stack([random.uniform(-1, 1, (500, 2)), random.uniform(-0.5, 0.5, 500)])
    build = gremio.Builder("Seats")
    build.part("Hill", shape(Box(length=2, width=2, height=0.4)))
    for i, at in enumerate(places):
        build.part(f"Bolt {i}", at=[float(v) for v in at], joint="free")
    rig = build.rig
    seated = {
        f"x{i}": Seat(f"Seat {i}", part, (*MOVES, *TURNS), targets=(Target("p1"),))
        for i, part in enumerate(list(rig.parts)[1:])
    }
    program = compile_rig(msgspec.structs.replace(rig, constraints=seated), lambda _solid: hill)
    mesh = trimesh.Trimesh(vertices, triangles, process=False)
    theirs = trimesh.proximity.closest_point(mesh, places)[0]
    ours = evaluate(program, {}).worlds[0, 1:, :3, 3]
    away = [np.linalg.norm(found - places, axis=1) for found in (ours, theirs)]
    # Never farther off than the other; nearer by some 1e-8 m, for it cuts that off.
    assert (away[0] - away[1]).max() < 1e-12
    mine, other = against(
        lambda: evaluate(program, {}).worlds,
        lambda: trimesh.proximity.closest_point(mesh, places), 3,
    )  # fmt: skip
    return [(
        f"(l) 500 parts seated on a surface of {len(triangles):,} triangles, one pose, turned "
        "along its normals", "`trimesh.proximity.closest_point`, the same places alone",
        f"{mine * 1e3:.1f} ms", f"{other * 1e3:.0f} ms", f"{mine / other:.3f} ×",
    )]  # fmt: skip


def many_four_bars(count: int) -> Rig:
    """A rig of four-bars, each with a control of its own."""
    build = gremio.Builder("Four-bars")
    for number in range(count):
        four_bar(build, 3.0 * number, f" {number}")
        build.control(f"Turn {number}", -1.0, 1.0, kind="angle")
        build.ratio(f"Turn {number}", f"Crank {number}", 1)
    return build.rig
