"""What follows from a rig without numbers: which blocks there are, and their order."""
