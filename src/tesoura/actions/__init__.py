"""What anybody can do, once: checked parameters, who did it, what it would do, how it is undone."""
