"""Overlays: the list, links, versions, and the page that viewers have."""
