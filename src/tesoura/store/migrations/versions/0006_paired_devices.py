"""Devices that were paired: phones and pads, each known by the hash of its token"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_table(
        "device",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("hash", sa.String(), nullable=False, unique=True),
        sa.Column("leaves", sa.JSON(), nullable=False),
        sa.Column("paired_at", sa.BigInteger(), nullable=False),
        sa.Column("seen_at", sa.BigInteger(), nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
