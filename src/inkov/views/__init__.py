"""What people read, as plain data: the same rows for text, JSON and everything else."""
