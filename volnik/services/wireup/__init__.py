"""Wire-up: the job of a rig, its ticks, its closing."""
