"""The page of reference: its routes and its templates."""
