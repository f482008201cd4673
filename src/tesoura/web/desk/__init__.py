"""The desk: what is operated while live."""
