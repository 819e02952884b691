"""Runs the command line: `python -m inkov`."""

from inkov.cli.app import main

main()
