"""Runs the command line: `python -m routrel`."""

from routrel.cli import app

app(prog_name="routrel")
