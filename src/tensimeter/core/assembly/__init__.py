"""What is drawn up for building: wires, the harness of a PC supply, whether it fits the box."""
