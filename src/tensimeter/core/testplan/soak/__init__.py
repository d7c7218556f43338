"""What a soak tells while it runs and after it: its readings, its state, what it identifies."""
