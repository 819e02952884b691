"""LLDP, as a daemon tells what it heard and as frames in a capture."""
