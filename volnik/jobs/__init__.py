"""Work that takes over a second: progress, cancel, result."""
