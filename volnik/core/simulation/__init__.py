"""What is really so in a simulated vehicle.

Cells, chargers, loads, weather, and the meter that sees part of it.
"""
