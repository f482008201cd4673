"""The index of words is made again, with the words of who did what"""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Bring the tables up to this revision."""
    op.execute("INSERT INTO event_words (event_words) VALUES ('delete-all')")
    op.execute("DELETE FROM position WHERE id = 2")
