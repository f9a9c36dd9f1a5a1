"""Signing in and out."""
