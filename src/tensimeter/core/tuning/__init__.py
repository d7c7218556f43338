"""What readings tell of a supply that is not as designed, and what to turn."""
