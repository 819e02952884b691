"""Database dumps of software switches."""
