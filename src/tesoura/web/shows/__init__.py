"""The whole show as one file: saved, looked at, brought in."""
