"""Rules that compare what is configured with what people planned, wrote down, saved, or set up alike elsewhere."""
