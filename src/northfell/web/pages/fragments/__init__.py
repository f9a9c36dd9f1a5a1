"""In test mode: every fragment in all its states on one page."""
