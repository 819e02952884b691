"""Our own files, YAML or JSON: switches, campus, changes, hosts and plans; and certificates."""
