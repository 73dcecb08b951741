from __future__ import annotations

import gc

import numpy as np
import pytest
from hypothesis import settings

import gremio
from gremio.core.rig.model import Rig
from gremio.core.rig.solids import Box
from gremio.demo.saltmarsh import saltmarsh_lock

# The machines are shared: how long one example takes says nothing.
# The same cases at every run: what fails for one fails for everybody.
settings.register_profile("shared", deadline=None, derandomize=True)
settings.load_profile("shared")


def pytest_collection_finish() -> None:
    """What is imported by now stays, and is much: looking over it again and again for what could go
    takes half of the time of the tests. The application does the same when it has started."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 100)


@pytest.fixture(scope="session")
def lock() -> Rig:
    return saltmarsh_lock()


@pytest.fixture
def rng() -> np.random.Generator:
    return np.random.default_rng(20261)


@pytest.fixture
def hatch() -> Rig:
    """A small rig of two hinged flaps, a slide and one control that leads the first flap."""
    build = gremio.Builder("Hatch")
    flap = gremio.shape(Box(length=1.0, width=0.5, height=0.05), ("0.5 m", 0, 0))
    build.part("Frame", gremio.shape(Box(length=2.0, width=1.0, height=0.1)))
    build.part("Flap", flap, on="Frame", joint="hinge y", stops=("-90 deg", "0 deg"))
    build.part("Shutter", flap, on="Frame", at=(0, 1, 0), joint="hinge y")
    build.part("Bolt", on="Flap", joint="slide x", stops=("0 mm", "80 mm"))
    build.control("Open", "0 deg", "90 deg")
    build.ratio("Open", "Flap", -1)
    return build.rig
