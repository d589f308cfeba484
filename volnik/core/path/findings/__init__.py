"""What is wrong with a path, by noun. Each module has `look(seen) -> list[Finding]`."""
