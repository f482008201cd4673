"""The fit check: does everything on an overlay fit, now and at its longest; can it be read; does anything cover it."""
