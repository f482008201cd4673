"""Everything that lasts: SQLite through SQLModel, one writer, the log, secrets."""
