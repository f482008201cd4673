"""Runs migrations on the connection that the store hands in, or offline to compare the tables."""

from alembic import context
from sqlmodel import SQLModel

context.configure(
    connection=context.config.attributes["connection"], target_metadata=SQLModel.metadata, render_as_batch=True
)
with context.begin_transaction():
    context.run_migrations()
