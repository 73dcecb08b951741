"""The open rig."""
