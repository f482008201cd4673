"""Runs through a game: routes of splits, attempts and their hits, and what earlier attempts tell. Pure."""
