"""What the compiled kernels compute, in NumPy and plain Python: slow, and easy to read."""
