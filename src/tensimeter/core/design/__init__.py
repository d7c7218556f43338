"""What follows from a whole design: its network, its reach, its faults, its sizes."""
