"""What measures: instruments by role, typed and filed readings, the run engine."""
