"""Computation: no interface, no files, no sockets, no clock, no randomness without a seed."""
