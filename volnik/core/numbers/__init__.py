"""The numbers: parameters of the count, their meaning, their defaults and what speaks against a value."""
