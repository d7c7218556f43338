"""Tensimeter: proves what a home-made bench power supply really delivers."""

import os

# No plugin of pydantic's is wanted; looking for one reads the metadata of every installed package.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
