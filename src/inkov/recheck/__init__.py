"""The second opinion: checks certificates against a campus, plainly, sharing nothing with the prover."""
