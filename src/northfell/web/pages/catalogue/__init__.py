"""The page of catalogue: its routes and its templates."""
