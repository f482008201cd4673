"""The outside API."""
