"""The page of findings: its routes and its templates."""
