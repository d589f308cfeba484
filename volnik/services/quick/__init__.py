"""The quick job: tried while it is typed, kept as an ordinary rig with its plan and its numbers."""
