"""What is configured: value types only, frozen, each setting knowing where it was written."""
