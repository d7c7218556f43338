"""What a design is electrically: its network, its load lines, what a short draws."""
