"""The page of projects: its routes and its templates."""
