"""Replays: what deserves one, which seconds of it are shown and how fast, when it may be seen."""
