"""The page of documents: its routes and its templates."""
