"""Reading and writing: rigs, models, tables."""
