"""Drawing a network: by hand, by typing, by pasting, on several sheets."""
