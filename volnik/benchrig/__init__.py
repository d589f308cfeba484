"""The simulated vehicle, a program of its own that talks to Volnik as real hardware would."""
