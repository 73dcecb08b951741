"""How values are shown."""

from __future__ import annotations

import math

from gremio.core.quantity import show, show_short


def test_shown_values() -> None:
    assert show(math.radians(46), "deg") == "46.0°"
    assert show(6.5 * math.pi, "turn") == "3.25 turns"
    assert show(-1e-9, "m") == "0.000 m"
    assert show_short(math.radians(74), "deg") == "74°"
    assert show_short(0.25, "m") == "0.25 m"
    assert show_short(200, "") == "200"
