"""Formulas and wordings: small expressions over signals, and text with them in braces."""
