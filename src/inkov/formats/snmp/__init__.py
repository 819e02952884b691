"""Walks of SNMP agents: bridge, interface, LLDP and address tables."""
