"""Inspection: what is wrong with a machine, before anybody finds out by using it."""
