"""The rig document: what stands in the vehicle. The bank begins it."""
