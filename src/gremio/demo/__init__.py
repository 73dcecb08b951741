"""Saltmarsh lock: the sample rig of every demo, picture and test."""
