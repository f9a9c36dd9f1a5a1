"""The pages. Whoever imports a part of them has every stage registered."""

from northfell.web import stages

__all__ = ["stages"]
