"""Signals: present values with their age and freshness, the engine that keeps them, the texts made of them."""
