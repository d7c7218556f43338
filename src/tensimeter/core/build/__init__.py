"""Sizing of the things one makes for a supply."""
