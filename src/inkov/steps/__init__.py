"""Steps of a change: what each does to a campus."""
