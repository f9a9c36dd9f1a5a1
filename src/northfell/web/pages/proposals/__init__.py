"""The page of proposals: its routes and its templates."""
