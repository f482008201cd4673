"""Measuring what is drawn, so that an overlay can be checked before viewers see it."""
