"""What each kind of port does, one module a kind. Nothing outside knows kinds, but for the second opinion in `recheck`."""
