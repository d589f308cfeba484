"""Sourced starting tables. The shop's own edits come in as values and stand before them."""
