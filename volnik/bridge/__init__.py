"""The bridge: a small program in the vehicle that listens to what is there and brings readings to Volnik."""
