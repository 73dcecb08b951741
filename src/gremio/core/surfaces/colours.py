"""Colours as a screen is told them, and as light adds up (IEC 61966-2-1)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from gremio.core.arrays import Array


def srgb_of_linear(linear: npt.ArrayLike) -> Array:
    """Display values 0–1 of linear light 0–1."""
    x = np.clip(np.asarray(linear, dtype=float), 0, 1)
    shown: Array = np.where(x <= 0.0031308, 12.92 * x, 1.055 * x ** (1 / 2.4) - 0.055)
    return shown


def linear_of_srgb(shown: npt.ArrayLike) -> Array:
    """Linear light 0–1 of display values 0–1."""
    x = np.clip(np.asarray(shown, dtype=float), 0, 1)
    linear: Array = np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)
    return linear
