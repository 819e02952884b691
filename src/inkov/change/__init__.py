"""Change: what differs, what it does, what cures, and what failures do."""
