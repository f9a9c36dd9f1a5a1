"""What follows from data without a study."""
