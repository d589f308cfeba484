"""Live readings: keys of bridges, readings taken in, what a rig says now, settled into the log."""
