"""A visit kept as one act, and what became of it."""
