"""What feeds show of themselves: what one try gave, and how each fares."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from tesoura.core.signals.changes import FeedState
from tesoura.core.signals.payload import TreeNode
from tesoura.errors import CredentialsRejected, SourceError
from tesoura.feeds.paths import FolderNotNamed


@dataclass(frozen=True, slots=True)
class Proof:
    """What one try of a feed showed: the payload as a tree, or the problem and how the answer began."""

    tree: TreeNode | None = None
    problem: str | None = None
    answer: str | None = None
    wants_key: bool = False
    took_ms: float = 0.0
    size_bytes: int = 0
    note: str = ""
    wants_folder: str | None = None


@dataclass(frozen=True, slots=True)
class FeedReport:
    """A feed as the pages show it. `period_s` is None for one that tells by itself or is told."""

    name: str
    title: str
    kind: str
    place: str
    period_s: float | None
    state: FeedState
    next_try_at: datetime | None
    signals: int
    manner: str = "asked"


def failed(error: SourceError) -> Proof:
    """What a try that failed shows."""
    answer = error.payload[:300] if error.payload else None
    folder = str(error.folder) if isinstance(error, FolderNotNamed) else None
    return Proof(
        problem=str(error), answer=answer, wants_key=isinstance(error, CredentialsRejected), wants_folder=folder
    )
