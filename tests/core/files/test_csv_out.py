"""A sweep as a table."""

from __future__ import annotations

import csv
import io

import pytest

import gremio
from gremio.core.files.csv_out import sweep_csv
from gremio.core.rig.find import control_id


def test_a_sweep_has_a_row_a_step_in_si_and_says_its_units() -> None:
    made = gremio.Builder("Paddle")
    made.part("Pinion", joint="spin y")
    made.part("Bar", joint="slide z", stops=(0, 0.05))
    made.part("Still", joint="slide x")
    made.control("Wind", 0, "90 deg")
    made.control("Share", 0, 1, kind="number", unit="")
    made.ratio("Wind", "Pinion turn y", 2)
    made.ratio("Wind", "Bar move z", 0.1)
    rig = made.rig
    rows = list(
        csv.reader(io.StringIO(sweep_csv(gremio.sweep(rig, "Wind", 5), control_id(rig, "Wind"))))
    )
    assert rows[0] == ["Wind [rad]", "Pinion turn y [rad]", "Bar move z [m]"]
    assert len(rows) == 6
    values = [[float(cell) for cell in row] for row in rows[1:]]
    for wind, pinion, bar in values:
        # The bar is held at 0.05 m, and what turns with it.
        assert pinion == pytest.approx(2 * min(wind, 0.5))
        assert bar == pytest.approx(0.1 * min(wind, 0.5))
    assert values[-1][2] == pytest.approx(0.05)
    table = sweep_csv(gremio.sweep(rig, "Share", 2), control_id(rig, "Share"))
    assert table.splitlines()[0] == "Share"
