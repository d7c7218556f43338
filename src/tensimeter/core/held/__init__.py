"""What was held, and what may be claimed of it: one computation for all that shows claims."""
