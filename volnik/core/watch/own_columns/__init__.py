"""What a rig's own columns tell beside the shunt: other counters, cells, chargers, switches."""
