"""Events are counted, and the log is listed, from indexes alone"""

from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    for name, columns in (("ix_event_type_time", ["type", "time", "accepted_at"]), ("ix_event_time", ["time", "type"])):
        op.drop_index(name, "event", if_exists=True)
        op.create_index(name, "event", columns)
