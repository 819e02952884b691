"""Rules about addresses, gateways, routes and filters."""
