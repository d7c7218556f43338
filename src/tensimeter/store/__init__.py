"""The job file and what goes in and out of it."""
