"""Following a routine can be stopped by whoever waits for it."""

from __future__ import annotations

from gremio.core.problem import GremioError
from gremio.core.solve.patience import may_go_on


def check_not_stopped() -> None:
    """Raise GremioError where it was stopped. Asked before what takes long, and after it too: a
    loop that was solved meanwhile may have been left half-way, and none of that is kept."""
    if not may_go_on():
        raise GremioError("Following the routine was stopped. Ask for less of it.")
