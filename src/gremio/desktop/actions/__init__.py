"""What a hand can do to the rig."""
