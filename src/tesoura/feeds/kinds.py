"""The kinds of feed there are. A new kind is a folder and a line here."""

from __future__ import annotations

from collections.abc import Mapping

from tesoura.feeds import http
from tesoura.feeds.kind import FeedKind

KINDS: Mapping[str, FeedKind] = {kind.name: kind for kind in (http.KIND,)}
