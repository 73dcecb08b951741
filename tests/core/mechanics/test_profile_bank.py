"""Many profiles at once give what each gives alone."""

from __future__ import annotations

import numpy as np
import pytest

from gremio.core.mechanics import profile_bank
from gremio.core.mechanics.cam_laws import LAWS
from gremio.core.mechanics.profiles import Profile, extent, profile_of, value

KINDS = ["smooth", "straight", "free", *LAWS]
ENDS = ["hold", "carry on", "repeat"]


def some(seed: int, count: int) -> list[Profile]:
    rng = np.random.default_rng(seed)
    made = []
    for _ in range(count):
        n = int(rng.integers(2, 9))
        x, y = np.cumsum(rng.uniform(0.1, 2, n)), rng.normal(size=n) * 3
        kinds = [KINDS[i] for i in rng.integers(len(KINDS), size=n - 1)]
        before, after = (ENDS[i] for i in rng.integers(3, size=2))
        slopes = np.where(rng.random(n) < 0.5, np.nan, rng.normal(size=n))
        made.append(profile_of(x, y, kinds, slopes, before, after))  # type: ignore[arg-type]
    return made


@pytest.mark.parametrize("seed", range(6))
def test_a_bank_of_profiles_of_every_kind(seed: int) -> None:
    profiles = some(seed, 40)
    rng = np.random.default_rng(seed + 100)
    channels = rng.uniform(-8, 20, (5, 30))
    rows = rng.integers(5, size=len(profiles))
    found = profile_bank.values(profile_bank.bank_of(profiles), channels, rows)
    alone = np.array([value(p, channels[r]) for p, r in zip(profiles, rows, strict=True)])
    assert found == pytest.approx(alone, abs=1e-9)


def test_stations_themselves_are_met_exactly() -> None:
    profiles = [p for p in some(3, 30) if "dwell" not in p.kinds]
    bank = profile_bank.bank_of(profiles)
    for i, profile in enumerate(profiles):
        inner = profile.x[:-1] if profile.after == "repeat" else profile.x
        channels = np.broadcast_to(inner, (1, len(inner))).copy()
        found = profile_bank.values(bank, channels, np.zeros(len(profiles), dtype=np.intp))
        assert found[i] == pytest.approx(profile.y[: len(inner)], abs=1e-9)


def test_the_extent_of_a_free_profile_goes_past_its_stations() -> None:
    profile = profile_of([0, 1], [0, 1], ["free"], [-4.0, -4.0])
    low, high = extent(profile)
    drawn = value(profile, np.linspace(0, 1, 5001))
    assert (low, high) == pytest.approx((drawn.min(), drawn.max()), abs=1e-6)
    assert low < -0.1 and high > 1.1
    assert extent(profile_of([0, 1, 2], [1, 3, 2], ["smooth"] * 2)) == (1.0, 3.0)
