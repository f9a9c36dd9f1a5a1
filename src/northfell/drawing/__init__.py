"""Geometry only: symbols, sheets and labels as shapes, which SVG and PDF render alike."""
