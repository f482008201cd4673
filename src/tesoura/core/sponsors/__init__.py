"""Sponsors: whose mark is seen when, the evening drawn ahead, and what was really seen. Instants in µs since 1970."""
