"""``python -m tallcheck`` is the command itself."""

from tallcheck.cli import program

program()
