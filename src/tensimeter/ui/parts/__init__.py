"""Parts that every stage uses."""
