"""What a rig is, and the edits on it."""
