"""Every computation and report without a window."""
