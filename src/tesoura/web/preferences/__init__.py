"""Preferences, and keys for the API."""
