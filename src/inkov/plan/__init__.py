"""What to change, and what a change does."""
