"""The page of tables: its routes and its templates."""
