"""The working of a figure, and the files that leave."""
