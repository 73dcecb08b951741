"""A later model compared with a rig, and taken up, from the command line."""

from __future__ import annotations

import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import cast, get_args

from gremio.core.files.revising import HOWS, Revision
from gremio.core.files.rig_file import write
from gremio.core.files.taking_up import Mounts
from gremio.core.problem import GremioError
from gremio.core.rig.model import Rig
from gremio.core.script.whole import changes, revise


def revise_file(
    rig: Rig, model: Path, take: Sequence[str] | None, of: str, mounts: str, output: Path
) -> tuple[list[Revision], list[str]]:
    """What a model has otherwise, or what was taken of that where something is to be, and what is
    to be known besides. take: kinds of change, "all" among them; None writes nothing. Raises
    GremioError."""
    if mounts not in get_args(Mounts):
        raise GremioError(f"Joints {' or '.join(get_args(Mounts))}, not {mounts!r}.")
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        found = changes(rig, model, of=of)
        if take is not None:
            kinds = HOWS if "all" in take else tuple(take)
            made = revise(rig, model, kinds, of=of, mounts=cast(Mounts, mounts))
            write(made, output, keep_previous=True)
            found = [one for one in found if one.how in kinds or one.must]
    return found, list(dict.fromkeys(str(one.message) for one in caught))
