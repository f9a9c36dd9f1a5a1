"""The page of states: its routes and its templates."""
