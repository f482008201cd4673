"""Signals computed from others and from events: formulas, windows, chains, goals, changes. One module a kind."""
