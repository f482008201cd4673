"""Text files."""
