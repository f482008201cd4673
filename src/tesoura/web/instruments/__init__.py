"""Instruments: set up, tried, operated."""
