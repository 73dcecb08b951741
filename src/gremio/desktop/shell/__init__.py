"""The window and all that belongs to the application itself."""
