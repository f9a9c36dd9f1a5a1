"""What is measured, not asserted."""
