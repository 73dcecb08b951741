"""Calls every kernel with right, odd and broken arrays for some seconds, and prints how many calls
there were, and how many of them were refused.

usage: python call_kernels.py LIBRARY SECONDS, which compiles the library with sanitizers first.
"""

from __future__ import annotations

import runpy
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

ROOT = Path(__file__).parent.parent.parent
SANITIZED = ("-fsanitize=address,undefined", "-fno-sanitize-recover=all", "-g", "-O1")
ODD = np.array([0.0, -0.0, 1.0, -1.0, 1e-300, 1e300, np.inf, -np.inf, np.nan, 1e15, 0.5])


def floats(rng: np.random.Generator, *shape: int) -> np.ndarray:
    """Numbers, now and then odd ones."""
    found = rng.normal(size=shape)
    if rng.random() < 0.4:
        odd = rng.random(shape) < 0.1
        found[odd] = rng.choice(ODD, int(odd.sum()))
    return found


def rows(rng: np.random.Generator, low: int, end: int, *shape: int) -> np.ndarray:
    """Indices, now and then one that is outside."""
    found = rng.integers(low, max(end, low + 1), shape)
    if rng.random() < 0.15 and found.size:
        found.flat[rng.integers(found.size)] = rng.choice([low - 1, end, -(2**40), 2**40])
    return found


def meshing(rng: np.random.Generator) -> None:
    from gremio.core.shape import meshes
    from gremio.core.shape.nearest import boxes_of, nearest
    from gremio.core.shape.rough import rougher

    points, count = floats(rng, int(rng.integers(0, 40)), 3), int(rng.integers(0, 90))
    triangles = rows(rng, 0, len(points), count, 3)
    made = meshes.tidied(points, triangles, floats(rng, 3, 3))
    meshes.moments(made.points, made.triangles, floats(rng, 3))
    faces = meshes.face_normals(points, triangles)
    meshes.corner_normals(points, triangles, faces, 0.7)
    meshes.edges(points, triangles, faces, 0.8, 0.99)
    vertices = np.concatenate([points, points], axis=1).astype(np.float32)
    box = np.stack([points.min(axis=0), points.max(axis=0)]) if len(points) else np.zeros((2, 3))
    rougher(vertices, triangles, box, int(rng.integers(1, 20)))
    nearest(boxes_of(points[triangles]), floats(rng, int(rng.integers(0, 9)), 3))


def inking(rng: np.random.Generator) -> None:
    from gremio.core.shape import meshes
    from gremio.core.shape.geometry import Drawn, Geometry
    from gremio.core.shape.lines import Inked, quads

    kind = np.dtype([("rows", "<f4", (3, 4)), ("paint", "<f4", 3), ("state", "<f4")])
    surfaces = []
    for _ in range(int(rng.integers(0, 3))):
        made = meshes.tidied(floats(rng, 20, 3), rows(rng, 0, 20, 40, 3), np.eye(3))
        drawn = Geometry(made.points, made.triangles).drawn
        if rng.random() < 0.1 and len(drawn.edges):
            drawn.edges.flat[rng.integers(drawn.edges.size)] = 2**31 - 7
        surfaces.append(Drawn(*drawn))
    counts = [int(rng.integers(0, 4)) for _ in surfaces]
    places = np.zeros(sum(counts) + int(rng.random() < 0.05), dtype=kind)
    places["rows"] = floats(rng, len(places), 3, 4)
    places["state"] = rng.integers(0, 3, len(places))
    about = rng.random(len(places)) < 0.2, floats(rng, 3), floats(rng, 4, 4), (640.0, 480.0)
    for lines in Inked(surfaces).seen(places, counts, *about, float(rng.choice([0.0, 4.0]))):
        quads(lines, floats(rng, 4, 4), (640.0, 480.0), 2.2)


def profiling(rng: np.random.Generator) -> None:
    from gremio.core.mechanics.profile_bank import bank_of, values
    from gremio.core.mechanics.profiles import smooth
    from gremio.core.mechanics.totals import totals

    made = [
        smooth(np.cumsum(rng.uniform(0.1, 1, n)), rng.normal(size=n))
        for n in rng.integers(2, 9, int(rng.integers(1, 6))).tolist()
    ]
    leads = floats(rng, 3, int(rng.integers(0, 9)))
    values(bank_of(made), leads, rows(rng, 0, 3, len(made)))
    totals(made, leads[0], floats(rng, len(made) + int(rng.random() < 0.1)))


def running(rng: np.random.Generator) -> None:
    from gremio.core.solve.course import Block

    channels, n, k = int(rng.integers(1, 9)), int(rng.integers(0, 5)), int(rng.integers(0, 7))
    step = {
        "kind": int(rng.integers(0, 3)), "n": n, "k": k, "soft_at_all": int(rng.integers(0, 2)),
        "stopped": int(rng.integers(0, 2)), "rows": rows(rng, 0, channels, n),
        "low": floats(rng, n), "high": floats(rng, n), "soft": np.abs(floats(rng, 2 * n)),
        "held": rng.random(n) < 0.5, "train": rows(rng, 0, n, k),
        "followers": rows(rng, 0, channels, k), "ratio": floats(rng, k), "offset": floats(rng, k),
    }  # fmt: skip
    frames = int(rng.integers(0, 6))
    block = Block(channels, (step,))
    block.run(floats(rng, channels, frames), floats(rng, channels, frames))


def closing(rng: np.random.Generator) -> None:
    from gremio.core.solve.loop_closing import assemble, close_many, table_of
    from gremio.core.solve.loop_shape import Shape

    parts, free = int(rng.integers(1, 5)), int(rng.integers(0, 4))
    counts = rng.integers(0, 4, parts)
    start = np.concatenate([[0], np.cumsum(counts)])
    channels, closures = int(start[-1]) + free, int(rng.integers(0, 3))
    swings = int(rng.integers(0, 2)) if counts.max() == 3 else 0
    trains = int(rng.integers(0, 2))
    loops, frames = int(rng.integers(1, 3)), int(rng.integers(0, 4))
    found = np.sort(rng.permutation(channels)[: int(rng.integers(0, channels + 1))])
    parents = np.array([int(rng.integers(-1, i)) if i else -1 for i in range(parts)])

    def same(array: np.ndarray) -> np.ndarray:
        return np.repeat(np.asarray(array)[None], loops, axis=0)

    rail = floats(rng, closures, 3) * (rng.random((closures, 1)) < 0.5)
    turns = np.repeat(np.nan_to_num(rng.normal(size=(parts, 3, 4)))[None], loops, axis=0)
    table = table_of(
        Shape(
            turns, same(parents), same(start), same(rows(rng, 0, 6, channels)), same(found),
            floats(rng, loops, channels), floats(rng, loops, channels),
            same(rows(rng, -1, parts, closures, 2)), floats(rng, loops, closures, 2, 3),
            same(rail), same(rng.integers(-1, 2, (closures, channels)).astype(float)),
            same(np.full(swings, int(counts.argmax()))), floats(rng, loops, swings, 3),
            floats(rng, loops, trains, channels), floats(rng, loops, trains),
            np.abs(floats(rng, loops)),  # type: ignore[arg-type]
        )
    )  # fmt: skip
    home = floats(rng, loops, channels)
    close_many(table, home, floats(rng, loops, frames, channels), int(rng.integers(1, 200)))
    one = Shape(*(np.array(column)[0] for column in _columns(table)))  # type: ignore[arg-type]
    assemble(one, home[0])


def _columns(table: object) -> list[np.ndarray]:
    from gremio.core.solve.loop_shape import Shape

    fields = dict(table._fields)  # type: ignore[attr-defined]
    fields["size"] = fields.pop("sizes")
    return [fields[name] for name in Shape._fields]


def framing(rng: np.random.Generator) -> None:
    import gremio
    from gremio.core.shape.solids import geometry_of
    from gremio.core.solve.compiling import compile_rig
    from gremio.core.solve.frames import Finder, world_frames

    build = gremio.Builder("Tree")
    names: list[str] = []
    for i in range(int(rng.integers(0, 6))):
        on = str(rng.choice(names)) if names and rng.random() < 0.7 else None
        names.append(
            build.part(f"Part {i}", on=on, joint=str(rng.choice(["ball", "free", "fixed"])))
        )
    program = compile_rig(build.rig, geometry_of)
    count = len(program.channel_keys) - int(rng.random() < 0.2)
    channels = floats(rng, max(count, 0), int(rng.integers(0, 4)))
    world_frames(program, channels)
    Finder(program, channels).frames(program.part_ids)


CALLS: tuple[Callable[[np.random.Generator], None], ...] = (
    meshing, inking, profiling, running, closing, framing,
)  # fmt: skip


def main() -> None:
    """Compile, and call until the time is over."""
    at, seconds = Path(sys.argv[1]), float(sys.argv[2])
    kernels = runpy.run_path(str(ROOT / "scripts" / "build_kernels.py"))
    kernels["build"](at, *SANITIZED)
    import gremio.core.kernels as room

    # The library that is loaded is the one beside its module.
    source = (Path(room.__file__).parent / "library.py").read_text()
    named = 'PATH = Path(__file__).parent / "libgremio.so"'
    assert named in source
    module = type(sys)("gremio.core.kernels.library")
    module.__file__ = str(Path(room.__file__).parent / "library.py")
    sys.modules[module.__name__] = module
    exec(compile(source.replace(named, f"PATH = Path({str(at)!r})"), "library.py", "exec"),
         module.__dict__)  # fmt: skip
    rng, end, calls, refused = np.random.default_rng(1), time.monotonic() + seconds, 0, 0
    while time.monotonic() < end or calls < 300:
        call = CALLS[calls % len(CALLS)]
        calls += 1
        try:
            with np.errstate(all="ignore"):
                call(rng)
        except (ValueError, IndexError):
            refused += 1
    print(calls, refused)


if __name__ == "__main__":
    main()
