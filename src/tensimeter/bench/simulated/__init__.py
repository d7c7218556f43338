"""Simulated stand-ins: instruments that speak SCPI over TCP, wired to a supply made from the job."""
