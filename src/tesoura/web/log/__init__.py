"""The log's pages."""
