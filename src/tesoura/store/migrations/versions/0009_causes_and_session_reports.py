"""An index for what events led to; what sessions came to, kept when the log lets go of their events"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_index("ix_event_cause", "event", ["cause"], if_not_exists=True)
    op.create_table(
        "session_report",
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("until", sa.BigInteger(), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("session_id"),
        if_not_exists=True,
    )
