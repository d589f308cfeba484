"""Doors: who else may come in, and by which door."""
