"""Saved games: looked at, kept, put back whole."""
