"""The page of readers: its routes and its templates."""
