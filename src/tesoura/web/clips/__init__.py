"""Clips: the shelf, one clip, and the files themselves."""
