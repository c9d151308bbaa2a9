"""``python -m kotrel``."""

from kotrel.cli import program

program()
