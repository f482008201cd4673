"""Compile all templates, as `compileall` does with modules: for where Python itself keeps nothing compiled."""

from __future__ import annotations

import sys
import tempfile
from importlib.util import cache_from_source
from pathlib import Path

ROOT = Path(__file__).parent.parent / "src/tesoura/web/templates"


def is_stale(template: Path) -> bool:
    """Whether a template was changed since it was compiled."""
    compiled = Path(cache_from_source(f"{template}.py"))
    return not compiled.exists() or compiled.stat().st_mtime < template.stat().st_mtime


def main() -> None:
    """Open every template that the pages have, which compiles those that were changed."""
    if not any(is_stale(one) for one in ROOT.rglob("*.html")):
        return
    # Loading all of Tesoura takes longer than looking whether that is needed.
    from tesoura.app import create_app
    from tesoura.settings import Settings
    from tesoura.store.store import open_store

    sys.dont_write_bytecode = False
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        pages = create_app(Settings(Path(folder)), store).routes[-1].app.app.app.wsgi_app.__self__  # type: ignore[attr-defined]
        for name in pages.jinja_env.list_templates(extensions=["html"]):
            pages.jinja_env.get_template(name)
        store.close()


if __name__ == "__main__":
    main()
