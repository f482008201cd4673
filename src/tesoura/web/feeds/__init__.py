"""Feeds: set up with proof, picked from, looked after."""
