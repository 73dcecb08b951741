"""Rig → Program → Pose. Solving has no memory."""
