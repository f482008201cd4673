"""The made-up evening, with its overlays, instruments and stand-ins."""
