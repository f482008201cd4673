"""Compiled templates are kept beside the templates, and never outlive a change."""

from __future__ import annotations

import sys
from importlib.util import cache_from_source
from pathlib import Path

import pytest
from jinja2 import DictLoader, Environment, FileSystemLoader

from tesoura.web.shared.template_cache import TemplateCache


@pytest.fixture
def page(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(sys, "dont_write_bytecode", False)
    page = tmp_path / "page.html"
    page.write_text("tea {{ 1 + 1 }}")
    return page


def shown(page: Path) -> str:
    return (
        Environment(loader=FileSystemLoader(page.parent), bytecode_cache=TemplateCache())
        .get_template(page.name)
        .render()
    )


def test_a_template_is_compiled_once_and_again_when_it_changes(page: Path) -> None:
    kept = Path(cache_from_source(f"{page}.py"))
    assert (shown(page), kept.name.startswith("page.html.")) == ("tea 2", True)
    first = kept.read_bytes()
    assert (shown(page), kept.read_bytes()) == ("tea 2", first)
    page.write_text("moon {{ 1 + 2 }}")
    assert (shown(page), shown(page)) == ("moon 3", "moon 3")
    assert kept.read_bytes() != first


def test_what_is_damaged_is_compiled_again(page: Path) -> None:
    shown(page)
    kept = Path(cache_from_source(f"{page}.py"))
    kept.write_bytes(b"no bytecode")
    assert shown(page) == "tea 2"


def test_nothing_is_kept_where_nothing_may_be(page: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (page.parent / "__pycache__").write_text("a file where the folder would be")
    assert shown(page) == "tea 2"
    monkeypatch.setattr(sys, "dont_write_bytecode", True)
    assert shown(page) == "tea 2"
    assert (
        Environment(loader=DictLoader({"a": "tea"}), bytecode_cache=TemplateCache()).get_template("a").render() == "tea"
    )
