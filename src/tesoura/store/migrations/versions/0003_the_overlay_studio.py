"""Edits of drafts, looks, files that were added, links that were replaced"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_table(
        "edit",
        sa.Column("overlay_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("window", sa.String(), nullable=False),
        sa.Column("touched", sa.JSON(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["overlay_id"], ["overlay.id"]),
        sa.PrimaryKeyConstraint("overlay_id", "number"),
    )
    op.create_table(
        "old_link",
        sa.Column("token", sa.String(), nullable=False),
        sa.Column("overlay_id", sa.Integer(), nullable=False),
        sa.Column("replaced_at", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["overlay_id"], ["overlay.id"]),
        sa.PrimaryKeyConstraint("token"),
    )
    op.create_index("ix_old_link_overlay_id", "old_link", ["overlay_id"])
    op.create_table(
        "look",
        sa.Column("id", sa.String(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("removed_at", sa.BigInteger(), nullable=True),
        sa.Column("changed_at", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "media",
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("type", sa.String(), nullable=False),
        sa.Column("width_px", sa.Integer(), nullable=False),
        sa.Column("height_px", sa.Integer(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("removed_at", sa.BigInteger(), nullable=True),
        sa.Column("added_at", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    op.create_index("ix_media_kind", "media", ["kind"])
    with op.batch_alter_table("overlay") as batch_op:
        batch_op.add_column(sa.Column("draft_rev", sa.Integer(), nullable=False, server_default="0"))
        batch_op.add_column(sa.Column("recent", sa.JSON(), nullable=False, server_default="[]"))
    with op.batch_alter_table("version") as batch_op:
        batch_op.add_column(sa.Column("who", sa.String(), nullable=False, server_default=""))
        batch_op.add_column(sa.Column("note", sa.String(), nullable=False, server_default=""))


def downgrade() -> None:
    """Take this revision back."""
    with op.batch_alter_table("version") as batch_op:
        batch_op.drop_column("note")
        batch_op.drop_column("who")
    with op.batch_alter_table("overlay") as batch_op:
        batch_op.drop_column("recent")
        batch_op.drop_column("draft_rev")
    for table in ("media", "look", "old_link", "edit"):
        op.drop_table(table)
