"""Northfell: electrical network studies whose figures can be traced."""

__version__ = "0.1.0"
