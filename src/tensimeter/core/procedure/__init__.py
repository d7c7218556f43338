"""How a builder works through a job: stages, hold points, cautions."""
