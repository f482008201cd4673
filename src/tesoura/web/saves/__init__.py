"""Saved games: a shelf for each game, and looking for where a game keeps its save."""
