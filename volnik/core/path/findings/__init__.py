"""What is wrong with a path, by noun. Each module has `check(analysis) -> list[Finding]`."""
