"""Drawing: where devices stand, and what is laid over the map."""
