"""Which points prove an output, in what order, and what their readings say."""
