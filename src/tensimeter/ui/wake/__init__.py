"""The Wake stage: first power, step by step."""
