"""An index for what events led to"""

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_index("ix_event_cause", "event", ["cause"], if_not_exists=True)
