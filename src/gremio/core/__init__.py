"""Computation: no window, no drawing, no toolkit."""
