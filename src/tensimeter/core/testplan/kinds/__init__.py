"""The kinds of test, a family of them to a module."""
