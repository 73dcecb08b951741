"""Handbook mechanics: pure functions, with the source of each equation."""
