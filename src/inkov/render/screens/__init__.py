"""What commands show on a screen: blocks of text, one module a command or two."""
