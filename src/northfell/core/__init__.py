"""What is computed, with no web, no SQL and no files. Whoever imports a part of it has every study registered."""

from northfell.core import studies

__all__ = ["studies"]
