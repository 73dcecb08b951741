"""Edits: functions from Rig to Rig. Each refuses, with GremioError, what can't be so."""
