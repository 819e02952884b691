"""How frames move: relay maps of ports, links and their ladders, and the one directed graph of a campus."""
