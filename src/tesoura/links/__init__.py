"""Connections that are talked with in both directions."""
