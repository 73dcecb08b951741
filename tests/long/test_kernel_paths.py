"""What is computed in two ways, by arrays and by compiled loops, is the same either way."""

from __future__ import annotations

import numpy as np
import pytest

from gremio.core.frames import Frame
from gremio.core.mechanics import profile_bank
from gremio.core.mechanics.compiled_bank import values as compiled_values
from gremio.core.rig.channels import freed
from gremio.core.rig.model import Joint, Part, Rig, Shape
from gremio.core.rig.solids import Ball, Box, Plate, SpurGear
from gremio.core.shape import surfaces
from gremio.core.shape.compiled_surface import nearest as compiled_nearest
from gremio.core.shape.solids import geometry_of
from gremio.core.shape.surfaces import surface_of
from gremio.core.solve import frames
from gremio.core.solve.compiled import world_frames as compiled_frames
from gremio.core.solve.compiling import compile_rig
from gremio.core.solve.steps import CamsStep

KINDS = ("fixed", "hinge", "spin", "slide", "cylinder", "wheel", "ball", "planar", "free")


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
    rig = machine(rng, own)
    program = compile_rig(rig, geometry_of)
    channels = rng.uniform(-3, 3, (len(program.channel_keys), 17))
    plain = frames.as_matrices(frames._columns(program, channels))
    assert compiled_frames(program, channels) == pytest.approx(plain, abs=1e-11)
    assert any(freed(part.joint) for part in rig.parts.values())


@pytest.mark.parametrize("seed", range(8))
def test_the_nearest_place_on_a_surface(seed: int) -> None:
    rng = np.random.default_rng(seed)
    solids = (
        Ball(diameter=1.0),
        SpurGear(module=0.1, teeth=17, width=0.2),
        Plate(length=2, width=1, thickness=0.1, holes=((0.2, 0.1, 0.3),)),
        Box(length=1, width=2, height=0.5),
    )
    shapes = tuple(Shape(s, Frame(tuple(rng.normal(size=3)))) for s in solids)
    surface = surface_of(Part("Thing", shapes=shapes), geometry_of)
    assert surface is not None
    points = rng.normal(size=(60, 3)) * 2
    plain, _ = surfaces._nearest_of_all(surface, points)
    compiled, _ = compiled_nearest(surface.tree, points)
    away = [np.linalg.norm(places - points, axis=1) for places in (plain, compiled)]
    # Where two places are as near, either will do; how far it is, is the same.
    assert away[0] == pytest.approx(away[1], abs=1e-12)


def test_cams(lock: Rig) -> None:
    program = compile_rig(lock, geometry_of)
    rng = np.random.default_rng(7)
    banks = [step for level in program.steps for step in level.sets if isinstance(step, CamsStep)]
    assert banks
    for step in banks:
        channels = rng.uniform(-2, 2, (len(program.channel_keys), 50))
        plain, span = profile_bank._values(step.bank, channels[step.leads])
        compiled, span_too = compiled_values(step.bank, channels, step.leads)
        assert compiled == pytest.approx(plain, abs=1e-12)
        assert (span == span_too).all()
