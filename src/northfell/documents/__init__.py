"""Documents on paper: arc-flash labels as PDF."""
