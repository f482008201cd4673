"""Compiled templates, kept beside the templates as Python keeps compiled modules beside those."""

from __future__ import annotations

import sys
from contextlib import suppress
from importlib.util import cache_from_source
from pathlib import Path

from jinja2.bccache import Bucket, FileSystemBytecodeCache


class TemplateCache(FileSystemBytecodeCache):
    """Keeps `desk/index.html` in `desk/__pycache__/index.html.cpython-311.pyc`, or wherever Python keeps its own.

    A template that was changed is compiled again. Where nothing may be written, each start compiles what it needs.
    """

    def __init__(self) -> None:
        super().__init__("")

    def get_cache_key(self, name: str, filename: str | None = None) -> str:
        """Return the file in which a template is kept; empty for one that is no file."""
        return cache_from_source(f"{filename}.py") if filename else ""

    def _get_cache_filename(self, bucket: Bucket) -> str:
        return bucket.key

    def load_bytecode(self, bucket: Bucket) -> None:
        """Take a template from its file, if it's there and of the present text."""
        if bucket.key:
            with suppress(OSError):
                super().load_bytecode(bucket)

    def dump_bytecode(self, bucket: Bucket) -> None:
        """Keep a template that was just compiled."""
        if bucket.key and not sys.dont_write_bytecode:
            with suppress(OSError):
                Path(bucket.key).parent.mkdir(exist_ok=True)
                super().dump_bytecode(bucket)
