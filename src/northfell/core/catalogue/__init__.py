"""Shipped tables and typical values, each with its source."""
