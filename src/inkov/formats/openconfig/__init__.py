"""OpenConfig data, as JSON exports and as NETCONF XML."""
