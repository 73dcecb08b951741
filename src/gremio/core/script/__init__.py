"""What scripts call, by the names of things: it opens what the core is handed."""
