"""Clips: pieces of video with what they are of, and reels"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_table(
        "clip",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("file", sa.String(), nullable=False),
        sa.Column("type", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("instrument", sa.String(), nullable=False),
        sa.Column("source", sa.String(), nullable=False),
        sa.Column("cause", sa.Integer(), nullable=True),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("made_at", sa.BigInteger(), nullable=False),
        sa.Column("session_at", sa.BigInteger(), nullable=True),
        sa.Column("length", sa.Integer(), nullable=False),
        sa.Column("shows_from", sa.BigInteger(), nullable=False),
        sa.Column("kills", sa.JSON(), nullable=False),
        sa.Column("parts", sa.JSON(), nullable=False),
        sa.Column("trim_begin", sa.Integer(), nullable=True),
        sa.Column("trim_end", sa.Integer(), nullable=True),
        sa.Column("width_px", sa.Integer(), nullable=False),
        sa.Column("height_px", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("codec", sa.String(), nullable=False),
        sa.Column("sound", sa.String(), nullable=False),
        sa.Column("still", sa.String(), nullable=False),
        sa.Column("strip", sa.String(), nullable=False),
        sa.Column("figures", sa.JSON(), nullable=False),
        sa.Column("starred", sa.Boolean(), nullable=False),
        sa.Column("removed_at", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_clip_at", "clip", ["at"])
    op.create_index("ix_clip_kind_at", "clip", ["kind", "at"])
