"""The Bench: the 3D view."""
