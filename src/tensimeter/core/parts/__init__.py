"""The kinds of part, one to a module, behind one registry."""
