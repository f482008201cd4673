"""Tesoura: outside data, cut to fit, on your stream's overlays."""

__version__ = "0.4.0"
