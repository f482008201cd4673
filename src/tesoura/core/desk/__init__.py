"""The desk's leaves of buttons: what each does, how they lie, and how they are changed."""
