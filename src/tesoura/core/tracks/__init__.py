"""Tracks of music: what players tell of them, what is made of that, and how they are listed."""
