"""Overlays: documents of pieces, the looks they wear, edits of drafts, and the check that everything fits."""
