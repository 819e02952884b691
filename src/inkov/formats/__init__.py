"""Files to model: one module a format, recognised by content and never by name."""
