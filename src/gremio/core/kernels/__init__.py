"""The few loops that are compiled ahead of time, in C: where poses, loops, profiles and meshes
spend their time."""
