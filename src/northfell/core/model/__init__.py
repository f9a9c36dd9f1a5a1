"""What a network is, and how it changes."""
