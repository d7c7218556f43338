"""What readings say: analyses of recorded facts."""
