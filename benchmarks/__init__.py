"""Speeds, measured as ratios in one run or as figures with their sizes; never asserted in tests."""
