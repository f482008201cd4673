"""Fetch the front-end files from the npm registry, and record their versions and licences.

Run by `make vendor`. What to fetch stands in the table below; everything it writes is committed, so neither the
application nor its tests need the network.
"""

from __future__ import annotations

import json
import shutil
import subprocess
import tarfile
import tempfile
from pathlib import Path
from typing import Any

STATIC = Path(__file__).parent.parent / "src/tesoura/web/static"
FONTSOURCE = "5.3.0"

# package, version, {file in the package: file under static/}
SCRIPTS_AND_STYLES = [
    ("bootstrap", "5.3.9", {"dist/css/bootstrap.min.css": "vendor/bootstrap.min.css"}),
    ("htmx.org", "2.0.11", {"dist/htmx.min.js": "vendor/htmx.min.js"}),
    ("idiomorph", "0.7.4", {"dist/idiomorph-ext.min.js": "vendor/idiomorph-ext.min.js"}),
]

# family, package, axes: "wght" for a variable file, else the static weights
TYPEFACES = [
    ("Atkinson Hyperlegible", "@fontsource-variable/atkinson-hyperlegible-next", "wght"),
    ("Big Shoulders", "@fontsource-variable/big-shoulders", "wght"),
    ("Bitter", "@fontsource-variable/bitter", "wght"),
    ("Bricolage Grotesque", "@fontsource-variable/bricolage-grotesque", "wght"),
    ("Caveat", "@fontsource-variable/caveat", "wght"),
    ("DynaPuff", "@fontsource-variable/dynapuff", "wght"),
    ("Fraunces", "@fontsource-variable/fraunces", "wght"),
    ("Fredoka", "@fontsource-variable/fredoka", "wght"),
    ("JetBrains Mono", "@fontsource-variable/jetbrains-mono", "wght"),
    ("Noto Sans", "@fontsource-variable/noto-sans", "wght"),
    ("Noto Sans", "@fontsource-variable/noto-sans-hebrew", "wght"),
    ("Oswald", "@fontsource-variable/oswald", "wght"),
    ("Righteous", "@fontsource/righteous", (400,)),
    ("Rubik", "@fontsource-variable/rubik", "wght"),
    ("Sora", "@fontsource-variable/sora", "wght"),
    ("Space Grotesk", "@fontsource-variable/space-grotesk", "wght"),
    ("Unbounded", "@fontsource-variable/unbounded", "wght"),
    ("Young Serif", "@fontsource/young-serif", (400,)),
]
SUBSETS = ("latin", "latin-ext", "vietnamese", "cyrillic", "cyrillic-ext", "greek", "hebrew")


def fetch(package: str, version: str, into: Path) -> Path:
    """Download and unpack one package; the folder that holds its files."""
    made = subprocess.run(
        ["npm", "pack", f"{package}@{version}", "--json", "--pack-destination", str(into)],
        capture_output=True,
        text=True,
        check=True,
    )
    described = json.loads(made.stdout)
    name = (described[0] if isinstance(described, list) else next(iter(described.values())))["filename"]
    folder: Path = into / name.removesuffix(".tgz")
    with tarfile.open(into / name.replace("@", "").replace("/", "-")) as archive:
        archive.extractall(folder, filter="data")
    return folder / "package"


def unicode_ranges(package: Path) -> dict[str, str]:
    """The characters that each subset of a typeface covers, as CSS writes them."""
    return dict(json.loads((package / "unicode.json").read_text("utf-8")))


def main() -> None:
    """Fetch everything in the tables above and write the record of it."""
    record: list[tuple[str, str, Path, str]] = []
    faces: list[dict[str, Any]] = []
    rules: list[str] = []
    for folder in ("vendor", "fonts"):
        shutil.rmtree(STATIC / folder, ignore_errors=True)
        (STATIC / folder).mkdir(parents=True)
    with tempfile.TemporaryDirectory() as temporary:
        work = Path(temporary)
        for package, version, files in SCRIPTS_AND_STYLES:
            source = fetch(package, version, work)
            for inside, target in files.items():
                shutil.copy(source / inside, STATIC / target)
            record.append((package, version, source, "vendor"))
        for family, package, axes in TYPEFACES:
            source = fetch(package, FONTSOURCE, work)
            slug = package.split("/")[1]
            ranges = unicode_ranges(source)
            weights = [int(w) for w in json.loads((source / "metadata.json").read_text("utf-8"))["weights"]]
            carried = family in {face["family"] for face in faces}
            if not carried:
                faces.append({"family": family, "weights": weights})
            for subset in [one for one in SUBSETS if one in ranges and (not carried or one == "hebrew")]:
                for weight in [f"{axes}-normal"] if isinstance(axes, str) else [f"{w}-normal" for w in axes]:
                    file = f"{slug}-{subset}-{weight}.woff2"
                    shutil.copy(source / "files" / file, STATIC / "fonts" / file)
                    spread = f"{weights[0]} {weights[-1]}" if len(weights) > 1 else str(weights[0])
                    rules.append(
                        f'@font-face{{font-family:"{family}";font-weight:{spread};font-style:normal;font-display:block;'
                        f'src:url("{file}") format("woff2");unicode-range:{ranges[subset]}}}'
                    )
            record.append((package, FONTSOURCE, source, "fonts"))
        write_record(record)
    (STATIC / "fonts/fonts.css").write_text("\n".join(rules) + "\n", "utf-8")
    (STATIC / "fonts/typefaces.json").write_text(json.dumps(faces, indent=1) + "\n", "utf-8")


def write_record(record: list[tuple[str, str, Path, str]]) -> None:
    """State versions and licences, and keep each licence's text beside the files."""
    lines = [
        "# Front-end files",
        "",
        "Written by `make vendor`; do not edit.",
        "",
        "| package | version | licence | its text |",
        "|---|---|---|---|",
    ]
    for package, version, source, folder in record:
        licence = json.loads((source / "package.json").read_text("utf-8"))["license"]
        text = next(path for path in sorted(source.iterdir()) if path.name.upper().startswith("LICENSE"))
        kept = f"{package.split('/')[-1]}.LICENSE.txt"
        shutil.copy(text, STATIC / folder / kept)
        lines.append(f"| {package} | {version} | {licence} | {folder}/{kept} |")
    (STATIC / "VENDORED.md").write_text("\n".join(lines) + "\n", "utf-8")


if __name__ == "__main__":
    main()
