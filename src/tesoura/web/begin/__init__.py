"""Begin from what one wants to see: the starters, what they ask, and what they made."""
