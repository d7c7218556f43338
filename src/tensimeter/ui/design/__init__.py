"""The Design stage: the path as an outline, its load line, what gives up first."""
