"""The commands: each parses options, makes one call, renders once and ends with one exit code."""
