"""Parametric solids, and what can be found on a surface."""
