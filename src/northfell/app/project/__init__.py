"""Projects as a whole: opened, imported, repaired, kept, and who may do so."""
