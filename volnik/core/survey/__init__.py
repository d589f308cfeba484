"""The survey: devices read from quick lines, and what the old gauge really tells."""
