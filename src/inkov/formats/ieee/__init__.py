"""The IEEE 802.1Q models, as JSON and XML."""
