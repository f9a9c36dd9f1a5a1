"""The form of a declaration: one for each parameter."""
