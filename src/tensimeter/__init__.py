"""Tensimeter: proves what a home-made bench power supply really delivers."""

__version__ = "0.1.0"
