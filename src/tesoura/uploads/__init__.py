"""Files that are added: each checked by its content, and made safe, before anything keeps it."""
