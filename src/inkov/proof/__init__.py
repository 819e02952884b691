"""Claims and their proofs: proved, broken with a witness, or cannot tell with the missing fact named."""
