"""Filling a network: edits, tables, catalogue, operating states."""
