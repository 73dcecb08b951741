"""Where everything stands as it is mounted, also while a routine has handed parts over: edits of
mounts speak of these."""

from __future__ import annotations

from gremio.core.solve.evaluate import evaluate
from gremio.core.solve.pose import Pose
from gremio.desktop.document.document import Document


def as_mounted(document: Document) -> Pose:
    """The pose of now, with each part where it is mounted."""
    pose = document.settled()
    if document.program is document.mounted:
        return pose
    return evaluate(document.mounted, document.inputs()).frame(0)
