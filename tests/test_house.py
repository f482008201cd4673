"""The rules of the house: what imports what, what ships, and that the documents are true."""

from __future__ import annotations

import ast
import json
import re
import runpy
import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC, datetime
from graphlib import TopologicalSorter
from pathlib import Path

import pytest
from click.testing import CliRunner

from tesoura.actions.registry import allowed
from tesoura.actions.roles import Role
from tesoura.cli import main
from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.instruments.scoreboard.plan import SPORTS
from tesoura.core.overlays.pieces.registry import KINDS as PIECES
from tesoura.core.overlays.typefaces import TYPEFACES
from tesoura.core.sports.own import read, unreachable
from tesoura.links.registry import KINDS as FEEDS
from tesoura.runtime.locales import OFFERED, machine_locale, number_style, offered
from tesoura.settings import STATIC
from tesoura.web.api.description import describe

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "tesoura"


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text("utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


def test_no_module_leads_back_to_itself() -> None:
    """Imports for types alone, which a running Tesoura never makes, are left out."""
    modules = {".".join(path.relative_to(SOURCE.parent).with_suffix("").parts): path for path in SOURCE.rglob("*.py")}
    modules = {name.removesuffix(".__init__"): path for name, path in modules.items()}
    needs: dict[str, set[str]] = {}
    for name, path in modules.items():
        needs[name] = set()
        for node in running_parts(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.ImportFrom) and node.module:
                each = [f"{node.module}.{alias.name}" for alias in node.names]
                needs[name] |= {one if one in modules else node.module for one in each} & modules.keys() - {name}
    TopologicalSorter(needs).prepare()


def running_parts(tree: ast.AST) -> Iterator[ast.AST]:
    """Every part of a module but those for types alone."""
    if not (isinstance(tree, ast.If) and "TYPE_CHECKING" in ast.dump(tree.test)):
        yield tree
        for part in ast.iter_child_nodes(tree):
            yield from running_parts(part)


def test_the_core_imports_only_the_standard_library_itself_and_the_errors() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        for name in imports(path):
            top = name.split(".")[0]
            assert top in sys.stdlib_module_names or name.startswith(("tesoura.core", "tesoura.errors")), (path, name)


def test_the_core_reads_no_clock_and_no_file() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        assert not re.search(
            r"\bopen\(|\.now\(|\btime\.(time|monotonic)\(|\bimport (os|socket|threading)\b", path.read_text("utf-8")
        ), path


def test_nothing_but_actions_and_the_runtime_writes() -> None:
    for path in (SOURCE / "web").rglob("*.py"):
        assert not re.search(r"\.write\(|session\.(add|delete|merge)\(", path.read_text("utf-8")), path


def test_lines_of_templates_are_short_enough_to_read() -> None:
    for path in (SOURCE / "web" / "templates").rglob("*.html"):
        for number, line in enumerate(path.read_text("utf-8").splitlines(), 1):
            assert len(line) < 140, (path, number)


def test_the_wall_clock_is_read_in_one_place() -> None:
    readers = [
        path.relative_to(SOURCE).as_posix()
        for path in SOURCE.rglob("*.py")
        if re.search(r"datetime\.now\(", path.read_text("utf-8")) and "standins" not in path.parts
    ]
    assert sorted(readers) == ["demo/evening.py", "feeds/http/ask.py", "settings.py"]


def test_the_typefaces_offered_are_the_ones_that_ship() -> None:
    shipped = json.loads((STATIC / "fonts" / "typefaces.json").read_text("utf-8"))
    assert [(face.family, list(face.weights)) for face in TYPEFACES] == [
        (face["family"], face["weights"]) for face in shipped
    ]
    css = (STATIC / "fonts" / "fonts.css").read_text("utf-8")
    for name in re.findall(r'url\("([^"]+)"\)', css):
        assert (STATIC / "fonts" / name).is_file()


def test_nothing_that_ships_is_fetched_from_elsewhere() -> None:
    for path in [*STATIC.rglob("*.css"), *STATIC.rglob("*.js"), *(SOURCE / "web" / "templates").rglob("*.html")]:
        if "vendor" in path.parts:
            continue
        for address in re.findall(
            r"""(?:src|href|url|import)\s*[=(]?\s*["'(]\s*(https?://[^"')]+)""", path.read_text("utf-8")
        ):
            raise AssertionError((path, address))


def test_vendored_files_have_a_version_and_a_licence() -> None:
    record = (STATIC / "VENDORED.md").read_text("utf-8")
    kept = re.findall(r"^\| (\S+) \| ([\d.]+) \| (\S+) \| (\S+) \|$", record, re.MULTILINE)
    assert len(kept) == 21
    for _, _, licence, text in kept:
        assert licence in {"MIT", "0BSD", "OFL-1.1"}
        assert (STATIC / text).stat().st_size > 300


DOCUMENTS = ["README.md", "CONTRIBUTING.md", *(f"docs/{one.name}" for one in sorted((ROOT / "docs").glob("*.md")))]


@pytest.mark.parametrize("path", DOCUMENTS)
def test_every_file_and_picture_a_document_names_exists(path: str) -> None:
    text = (ROOT / path).read_text("utf-8")
    for link in re.findall(r"\]\(([^)#]+)\)", text):
        assert link.startswith("http") or ((ROOT / path).parent / link).exists(), link
    for name in re.findall(r"`((?:src|tests|docs|benchmarks|tools)/[\w./-]+)`", text):
        assert (ROOT / name).exists(), name


def test_the_readme_is_short_and_leads_to_every_picture_and_page() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    assert len(readme.splitlines()) < 200
    assert f"with {len(FEEDS)} kinds of feed" in readme
    pictures = {f"docs/screenshots/{one.name}" for one in (ROOT / "docs" / "screenshots").iterdir()}
    assert pictures <= set(re.findall(r"\]\(([^)#]+)\)", readme))
    assert len(pictures) < 20
    assert [one for one in DOCUMENTS if one.startswith("docs/") and one not in readme] == []


def test_the_commands_in_the_readme_exist() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    targets = set(re.findall(r"^([a-z]+):", (ROOT / "Makefile").read_text("utf-8"), re.MULTILINE))
    assert {"demo", "test"} <= set(re.findall(r"(?:^|`)make ([a-z]+)", readme, re.MULTILINE)) <= targets
    for words in set(re.findall(r"^\s*(?:\$ )?tesoura ([a-z]+(?: [a-z]+)?)", readme, re.MULTILINE)):
        names = words.split()
        options = ["--help"]
        assert (
            CliRunner().invoke(main, [*names[: 2 if names[0] in ("key", "shelf") else 1], *options]).exit_code == 0
        ), words


def test_the_readmes_table_of_the_api_is_the_api() -> None:
    readme = (ROOT / "README.md").read_text("utf-8")
    told = set(re.findall(r"^\| `(GET|POST|PUT) ([^`]+)`", readme, re.MULTILINE))
    paths: dict[str, dict[str, object]] = describe()["paths"]
    described = {(verb.upper(), path) for path, verbs in paths.items() for verb in verbs if verb != "parameters"}
    named = {(verb, path.replace("NAME", "{name}").replace("COMMAND", "{command}")) for verb, path in told}
    # Each action is described by itself; the table tells of all of them at once.
    actions = {(verb, path) for verb, path in described if path.startswith("/api/actions/")}
    assert actions == {("POST", f"/api/actions/{one.name}") for one in allowed(Role.KEY)}
    own = {("POST", "/api/actions/{name}"), ("POST", "/api/actions/{name}/effect")}
    assert named == (described - actions) | own


@pytest.mark.parametrize(
    ("locale", "number", "short"),
    [
        ("en", "1,234,567.5", "1.3K"),
        ("de", "1.234.567,5", "1284"),
        ("fr", "1\u00a0234\u00a0567,5", "1,3\u00a0k"),
        ("en_IN", "12,34,567.5", "1.3K"),
        ("nowhere", "1,234,567.5", "1.3K"),
    ],
)
def test_locales_come_from_babel(locale: str, number: str, short: str) -> None:
    from tesoura.core.language.numbers import compact

    style = number_style(locale)
    assert style.localise("1,234,567.5") == number
    assert compact(1284, style) == short


def test_plurals_follow_the_locale() -> None:
    assert [number_style("pl").plural_category(n) for n in (1, 2, 5)] == ["one", "few", "many"]
    assert [number_style("en").plural_category(n) for n in (1, 2)] == ["one", "other"]


def test_the_locales_offered_can_all_be_used() -> None:
    assert {name for name, _ in offered()} == set(OFFERED)
    assert machine_locale() in OFFERED


@pytest.mark.parametrize("page", ["game_events", "track_events"])
def test_the_page_of_events_is_the_schema(page: str) -> None:
    made = runpy.run_path(str(ROOT / "tools" / f"{page}.py"))
    assert made["PAGE"].read_text("utf-8") == made["page"](), "run `make docs`"


def test_every_statistic_that_is_told_stands_in_the_table() -> None:
    choices = fill(INSTRUMENTS["statistics"].fields, {}).choices
    outputs = set(INSTRUMENTS["statistics"].outputs(choices))
    now = datetime(2026, 11, 26, tzinfo=UTC)
    told = INSTRUMENTS["statistics"].begin("game", choices, Almanac(), now).read(now)
    assert set(told) <= outputs


def test_every_kind_stands_in_its_table_under_its_own_name() -> None:
    for kinds in (FEEDS, INSTRUMENTS, PIECES):
        assert [kind.name for kind in kinds.values()] == list(kinds)
    placed = {piece.name for kind in INSTRUMENTS.values() for piece in kind.pieces}
    assert placed <= set(PIECES)


def test_every_room_has_its_page() -> None:
    rooms = [path for path in SOURCE.iterdir() if (path / "__init__.py").exists()]
    assert [path.name for path in rooms if not (path / "README.md").exists()] == []


def test_no_two_classes_share_a_name() -> None:
    found: dict[str, Path] = {}
    for path in SOURCE.rglob("*.py"):
        for node in ast.parse(path.read_text("utf-8")).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                assert node.name not in found, (node.name, path, found[node.name])
                found[node.name] = path


def test_quick_finds_the_tests_of_what_changed() -> None:
    quick = runpy.run_path(str(ROOT / "tools" / "quick.py"))["tests_for"]
    paths = [
        Path("src/tesoura/store/log.py"),
        Path("tests/feeds/test_http.py"),
        Path("README.md"),
        Path("src/tesoura/core/values.py"),
        Path("tests/core/test_map.py"),
    ]
    assert quick(paths) == ["tests/core", "tests/test_house.py", "tests/store", "tests/feeds/test_http.py"]


def test_the_rules_in_the_documentation_can_be_played_and_every_sport_stands_in_it() -> None:
    page = (ROOT / "docs" / "match-rules.md").read_text("utf-8")
    examples = re.findall(r"```toml\n(.*?)```", page, re.DOTALL)
    assert [unreachable(read(one)) for one in examples] == [[], []]
    assert [one.title for one in SPORTS.values() if f"| {one.title} |" not in page] == []


def test_a_start_imports_no_kind_of_instrument() -> None:
    """Each is imported with the first of its own; what all need must not lead to one."""
    code = (
        "import sys, tesoura.app; print(*(one for one in sys.modules if one.startswith('tesoura.core.instruments.')))"
    )
    found = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.split()
    kinds = {one for one in found if one.split(".")[3] in INSTRUMENTS}
    assert kinds == set()
