"""Sessions that have been."""
