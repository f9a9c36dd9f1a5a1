"""Results: run, kept current, gathered over all states, compared, given out."""
