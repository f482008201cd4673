"""Cues: what happens by itself, as sentences; made, tried, fired, looked back on."""
