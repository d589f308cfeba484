"""Tests of the bridge."""
