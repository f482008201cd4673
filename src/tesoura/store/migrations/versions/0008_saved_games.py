"""Shelves of saved games"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_table(
        "save_game",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("folder", sa.Boolean(), nullable=False),
        sa.Column("leave_first", sa.String(), nullable=False),
        sa.Column("keeps_times", sa.Boolean(), nullable=False),
        sa.Column("most_before", sa.Integer(), nullable=False),
        sa.Column("wait_s", sa.Integer(), nullable=False),
        sa.Column("marked", sa.Integer(), nullable=True),
        sa.Column("last_put", sa.Integer(), nullable=True),
        sa.Column("added_at", sa.BigInteger(), nullable=False),
        sa.Column("removed_at", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "save",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("game_id", sa.Integer(), nullable=False),
        sa.Column("parent_id", sa.Integer(), nullable=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("picture", sa.String(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("content", sa.JSON(), nullable=True),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("same", sa.String(), nullable=False),
        sa.Column("beside", sa.Boolean(), nullable=False),
        sa.Column("made_at", sa.BigInteger(), nullable=False),
        sa.Column("removed_at", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["game_id"], ["save_game.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_save_game", "save", ["game_id", "removed_at"])
