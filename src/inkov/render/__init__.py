"""Plain data to text for terminals and to JSON. Renderers return; the caller decides where it goes."""
