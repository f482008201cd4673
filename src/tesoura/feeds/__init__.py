"""Connections to the outside: one folder a kind; polling, backoff and errors once, beside them."""
