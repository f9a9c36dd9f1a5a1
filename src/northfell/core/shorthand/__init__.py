"""The line one types to extend a network."""
