"""What runs keep: what was read, baselines, certificates; and files written whole."""
