"""Inks, papers, type and symbols."""
