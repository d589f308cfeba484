"""Volnik: planner, calculator, simulator, logbook and trainer of the mobile power installer."""

__version__ = "0.1.0"
