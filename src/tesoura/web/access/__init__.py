"""Signing in, on the network."""
