"""What may be written on the front of a supply, and where it goes."""
