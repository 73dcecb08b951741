"""Formulas: text to tree, checked for units, compiled to run over many frames at once."""
