"""What can be wrong: one module a theme, each rule with its explanation and examples beside it."""
