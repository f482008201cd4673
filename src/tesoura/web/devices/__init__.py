"""Phones and pads: paired, listed, removed; and the phone's own page."""
