"""Fonts, icons and colours that ship with the program."""
