"""Readings as facts, the accuracy of what read them, and the verdict rule."""
