"""Schablone: parametric parts that know the machine they are made on."""

__version__ = "0.1.0"
