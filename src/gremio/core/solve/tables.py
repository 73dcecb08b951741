"""Poses as tables: CSV, and frames of pandas."""

from __future__ import annotations

import csv
import importlib
import io
from collections.abc import Sequence

import numpy as np

from gremio.core.arrays import Array
from gremio.core.problem import GremioError
from gremio.core.quantity import UNITS, Kind
from gremio.core.rig.ids import ChannelKey
from gremio.core.rig.model import Rig
from gremio.core.rig.numbers import full_label, kind_of, shown_unit

SI: dict[Kind, str] = {
    "length": "m", "angle": "rad", "time": "s", "number": "", "rate": "rad/s", "speed": "m/s",
    "frequency": "Hz",
}  # fmt: skip

# To so many digits a value is told in the unit in which it is shown: 30, and not
# 29.999999999999996.
_DIGITS = 12


def heading(name: str, unit: str) -> str:
    """The head of a column: "Upper gates [rad]"."""
    return f"{name} [{unit}]" if unit else name


def column(
    rig: Rig, channel: ChannelKey, values: Array, *, shown: bool = False
) -> tuple[str, Array]:
    """The head of the column of a channel (by key), and its values (F,). shown: in the unit in
    which it is shown; else in SI."""
    label = full_label(rig, channel)
    if not shown:
        return heading(label, SI[kind_of(rig, channel)]), values
    unit = shown_unit(rig, channel)
    told = [float(f"{value:.{_DIGITS}g}") for value in values / UNITS[unit].size]
    return heading(label, unit), np.array(told)


def as_csv(columns: Sequence[tuple[str, Array]]) -> str:
    """Columns, each with its head, as a table: a row a frame, every digit kept."""
    text = io.StringIO()
    table = csv.writer(text, lineterminator="\n")
    table.writerow([head for head, _ in columns])
    for row in zip(*(values for _, values in columns), strict=True):
        table.writerow([repr(float(value)) for value in row])
    return text.getvalue()


def as_frame(columns: Sequence[tuple[str, Array]]) -> object:
    """Columns as a DataFrame. Raises GremioError where pandas is not installed."""
    try:
        pandas = importlib.import_module("pandas")
    except ImportError:
        raise GremioError(
            "A DataFrame needs pandas, which is not installed. Take to_csv(), or install pandas."
        ) from None
    made: object = pandas.DataFrame(
        np.column_stack([values for _, values in columns]), columns=[head for head, _ in columns]
    )
    return made
