"""The mat, where drafts are made."""
