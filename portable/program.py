"""The portable program is the command itself."""

from tallcheck.cli import program

program()
