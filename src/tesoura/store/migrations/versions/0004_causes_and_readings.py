"""What led to an event and who did it; readings of feeds; an index for the newest events of a type"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.add_column("event", sa.Column("cause", sa.Integer(), nullable=True))
    op.add_column("event", sa.Column("actor", sa.String(), nullable=True))
    op.create_index("ix_event_type", "event", ["type"])
    op.create_table(
        "reading",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("signal", sa.String(), nullable=False),
        sa.Column("value", sa.JSON(), nullable=True),
        sa.Column("observed_at", sa.BigInteger(), nullable=False),
        sa.Column("after_seq", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_reading_signal_observed_at", "reading", ["signal", "observed_at"])
    op.create_index("ix_reading_observed_at", "reading", ["observed_at"])
