"""What is printed: the data sheet."""
