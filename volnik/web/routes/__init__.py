"""Addresses, a module a stage."""
