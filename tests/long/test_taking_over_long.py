"""Programs taken over from older ones, on many random ways through edits and undos."""

from __future__ import annotations

import numpy as np
import pytest
from tests.core.solve.test_taking_over import begin, edited_at_random

from gremio.demo.saltmarsh import saltmarsh_lock


@pytest.mark.parametrize("seed", range(6))
def test_taken_over_on_the_demo(seed: int) -> None:
    edited_at_random(saltmarsh_lock(), seed, steps=25)


@pytest.mark.parametrize("seed", range(100, 160))
def test_taken_over_on_rigs_made_at_random(seed: int) -> None:
    edited_at_random(begin(np.random.default_rng(seed)), seed, steps=20)
