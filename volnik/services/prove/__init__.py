"""Prove: the guided measurements of a rig, the roll call under way, the record."""
