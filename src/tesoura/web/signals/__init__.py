"""Signals: what there is, what is computed, how it is worded."""
