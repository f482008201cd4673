"""Simulated outside services that ship with Tesoura: for the demo, for trying out, and for the tests."""
