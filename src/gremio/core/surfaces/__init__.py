"""What stands for the geometry of parts."""
