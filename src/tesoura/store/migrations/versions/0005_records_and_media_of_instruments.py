"""Records of instruments; whose a file is, and until when it is kept; which feeds bring which types of events"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.create_table(
        "record",
        sa.Column("instrument", sa.String(), nullable=False),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("at", sa.BigInteger(), nullable=False),
        sa.Column("data", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("instrument", "seq", "number"),
    )
    op.create_index("ix_record_instrument_kind_at", "record", ["instrument", "kind", "at"])
    op.add_column("media", sa.Column("owner", sa.String(), nullable=True))
    op.add_column("media", sa.Column("kept_until", sa.BigInteger(), nullable=True))
    op.create_index("ix_media_owner", "media", ["owner"])
    op.create_table(
        "event_source",
        sa.Column("type", sa.String(), nullable=False),
        sa.Column("feed", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("type", "feed"),
    )
    op.create_table(
        "past_count",
        sa.Column("session_id", sa.Integer(), nullable=False),
        sa.Column("type", sa.String(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("last_at", sa.BigInteger(), nullable=False),
        sa.PrimaryKeyConstraint("session_id", "type"),
    )
    op.execute(
        "INSERT INTO event_source (type, feed) SELECT DISTINCT type, substr(source, 6) FROM event "
        "WHERE source >= 'feed:' AND source < 'feed;'"
    )
