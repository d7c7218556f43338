"""Simulated instruments that speak as real ones do, and the supply that they are wired to."""
