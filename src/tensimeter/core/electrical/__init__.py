"""Sources, converters, wires, fuses, and the path solver that joins them."""
