"""Rigs drawn at random and an independent simulator: what band and check-up are tried on."""
