"""The rules, one module a theme. The first line of a module says what its rules are about."""
