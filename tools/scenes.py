"""Draw the scene pictures that ship, and note what is darkest and lightest in each part of them.

Run by `make scenes`; what it writes to `src/tesoura/web/static/scenes` is committed, so nothing needs a browser later.
"""

from __future__ import annotations

import itertools
import json
import random
import shutil
from pathlib import Path

from PIL import Image
from playwright.sync_api import sync_playwright

from tesoura.uploads.pictures import extremes

FOLDER = Path(__file__).parent.parent / "src/tesoura/web/static/scenes"
TITLES = {
    "evening": "Kites at evening",
    "noon": "Kites at noon",
    "lanterns": "The Lantern Mile",
    "hall": "The cup's table",
}
KITES = (("#E5533A", "#FBE3B4"), ("#2F8F86", "#F3CF9E"), ("#F0B64B", "#7A3E66"), ("#F6F1E7", "#C23A22"))


def svg(inside: str) -> str:
    """A picture of 1920 by 1080."""
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1920 1080" preserveAspectRatio="xMidYMid slice">'
        f"{inside}</svg>\n"
    )


def gradient(name: str, *stops: tuple[float, str], across: bool = False) -> str:
    """A gradient from top to bottom, or across."""
    end = 'x2="1" y2="0"' if across else 'x2="0" y2="1"'
    inside = "".join(f'<stop offset="{at}" stop-color="{colour}"/>' for at, colour in stops)
    return f'<linearGradient id="{name}" x1="0" y1="0" {end}>{inside}</linearGradient>'


def kite(x: float, y: float, turn: float, size: float, colours: tuple[str, str], line: str) -> str:
    """A kite with its tail and its line down to the ground."""
    one, two = colours
    return (
        f'<path d="M{x} {y}Q{x * 0.7 + 290} {y + 260} {960} 1010" fill="none" stroke="{line}" stroke-width="2" opacity=".6"/>'
        f'<g transform="translate({x} {y}) rotate({turn}) scale({size})"><path d="M0-90 60 0 0 120-60 0Z" fill="{one}"/>'
        f'<path d="M0-90 60 0H0ZM0 120-60 0H0Z" fill="{two}"/>'
        f'<path d="M0 120C30 170-40 210 0 260S40 330 10 380" fill="none" stroke="{two}" stroke-width="6"/></g>'
    )


def hills(seed: int, level: float, swing: float, colour: str) -> str:
    """A rolling line of hills."""
    dice = random.Random(seed)
    points = [(x, level + dice.uniform(-swing, swing)) for x in range(0, 2100, 160)]
    path = f"M0 1080L0 {points[0][1]:.0f}"
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        path += f"C{x0 + 80} {y0:.0f} {x0 + 80} {y1:.0f} {x1} {y1:.0f}"
    return f'<path d="{path}L1920 1080Z" fill="{colour}"/>'


def noon() -> str:
    """Kites over a bright meadow: the worst that white letters can meet."""
    dice = random.Random(4)
    clouds = "".join(
        f'<g transform="translate({x} {y}) scale({s})" fill="#FFFFFF" opacity=".9"><ellipse rx="150" ry="46"/>'
        '<ellipse cx="-70" cy="-34" rx="70" ry="54"/><ellipse cx="40" cy="-52" rx="92" ry="70"/></g>'
        for x, y, s in ((260, 190, 1.2), (760, 110, 0.8), (1290, 220, 1.35), (1740, 120, 0.9), (1010, 340, 0.6))
    )
    flowers = "".join(
        f'<circle cx="{dice.uniform(0, 1920):.0f}" cy="{dice.uniform(930, 1075):.0f}" r="{dice.uniform(3, 8):.0f}" '
        f'fill="{dice.choice(["#FFF3B0", "#F7B2A4", "#FFFFFF", "#F2D34E"])}"/>'
        for _ in range(160)
    )
    kites = "".join(
        kite(x, y, turn, size, KITES[n % 4], "#FFFFFF")
        for n, (x, y, turn, size) in enumerate(
            ((420, 330, -16, 1), (840, 480, 12, 0.6), (1180, 390, 18, 0.8), (1580, 420, -9, 0.7))
        )
    )
    sky = gradient("s", (0, "#6FB7E8"), (0.6, "#CDE9F7"), (1, "#F6F7E6"))
    return svg(
        f"<defs>{sky}{gradient('g', (0, '#8BC46A'), (1, '#4C8F4A'))}</defs>"
        f'<path fill="url(#s)" d="M0 0h1920v1080H0z"/>{clouds}{hills(2, 760, 40, "#B5D6A0")}{hills(5, 850, 34, "#9CCB7E")}'
        f"{hills(8, 930, 26, 'url(#g)')}{flowers}{kites}"
    )


def lanterns() -> str:
    """An obstacle run at night, lit by lanterns."""
    dice = random.Random(7)
    stars = "".join(
        f'<circle cx="{dice.uniform(0, 1920):.0f}" cy="{dice.uniform(0, 520):.0f}" r="{dice.uniform(0.8, 2.4):.1f}" fill="#F3EBD3" opacity="{dice.uniform(0.4, 1):.1f}"/>'
        for _ in range(150)
    )
    towers = "".join(
        f'<path d="M{x} 1080V{top}l{w / 2:.0f}-60 {w / 2:.0f} 60V1080Z" fill="{colour}"/>'
        f'<path d="M{x + w * 0.35:.0f} {top + 70}h{w * 0.3:.0f}v{w * 0.4:.0f}h-{w * 0.3:.0f}z" fill="#FFC463"/>'
        for x, top, w, colour in (
            (60, 430, 150, "#141A33"),
            (330, 560, 110, "#1B2341"),
            (1420, 500, 130, "#1B2341"),
            (1650, 380, 170, "#141A33"),
        )
    )
    lights = "".join(
        f'<g transform="translate({x} {y})"><circle r="150" fill="url(#l)"/><path d="M-18-26h36l8 44H-26z" fill="#FFD98A"/><path d="M-22-26h44v-10h-44zM-28 18h56v10h-56z" fill="#3A2430"/></g>'
        for x, y in ((300, 800), (640, 740), (980, 800), (1320, 730), (1640, 800))
    )
    runner = '<g transform="translate(900 838)" fill="#0B0F1F"><circle cx="34" cy="-58" r="17"/><path d="M14-40 48-34 40 6 62 44 48 52 22 14 0 44-30 42-28 28-8 28 6 0-14-12-30 2-40-8-16-30Z"/></g>'
    glow = (
        '<radialGradient id="l"><stop offset="0" stop-color="#FFB347" stop-opacity=".75"/>'
        '<stop offset="1" stop-color="#FFB347" stop-opacity="0"/></radialGradient>'
    )
    return svg(
        f"<defs>{gradient('s', (0, '#0C1230'), (0.7, '#332A5A'), (1, '#6A3C5E'))}{glow}</defs>"
        f'<path fill="url(#s)" d="M0 0h1920v1080H0z"/>{stars}<circle cx="1500" cy="190" r="74" fill="#F3EBD3"/>{hills(3, 690, 60, "#241F48")}{towers}'
        f'<path d="M0 890h560l40 40h240l40-40h470l60 60h160l40-60h350v190H0z" fill="#0F1226"/>{lights}{runner}'
    )


def hall() -> str:
    """The break final: a table, two players, a crowd."""
    dice = random.Random(9)
    crowd = "".join(
        f'<g transform="translate({x + dice.uniform(-9, 9):.0f} {y + dice.uniform(-8, 8):.0f})" fill="{dice.choice(["#7C4B3A", "#5C3B4E", "#37506B", "#8A6A3C", "#47635A"])}"><circle r="22"/><path d="M-34 70c0-44 16-52 34-52s34 8 34 52z"/></g>'
        for y in (330, 400, 470)
        for x in range(20, 1920, 78)
    )
    lamps = "".join(
        f'<path d="M{x} 0v90" stroke="#2A211F" stroke-width="6"/><path d="M{x - 70} 130l40-44h60l40 44z" fill="#2A211F"/><path d="M{x - 66} 132h132l190 640H{x - 256}z" fill="#FFF1C4" opacity=".13"/>'
        for x in (480, 960, 1440)
    )
    table = (
        '<path d="M470 700h980l190 190H280z" fill="#1F5F73"/><path d="M470 700h980l190 190H280z" fill="none" stroke="#F3EFE4" stroke-width="7"/>'
        '<path d="M960 700v190" stroke="#F3EFE4" stroke-width="4"/><path d="M362 790h1196v-66H362z" fill="#F3EFE4" opacity=".35"/><path d="M352 724h1216" stroke="#F3EFE4" stroke-width="8"/>'
        '<path d="M280 890h1360v22H280z" fill="#143F4D"/><path d="M380 912v168M1540 912v168" stroke="#2A211F" stroke-width="22"/>'
    )
    players = "".join(
        f'<g transform="translate({x} 660) scale({way} 1)"><circle cx="0" cy="-190" r="46" fill="#D9A47E"/><path d="M-60 60c-10-130 10-196 62-196s70 66 60 196z" fill="{shirt}"/><path d="M-54 50h50v360h-50zM10 50h50v360h-50z" fill="#3A3544"/><path d="M40-90 150-50" stroke="#D9A47E" stroke-width="26" stroke-linecap="round"/><circle cx="180" cy="-52" r="38" fill="#C23A22"/></g>'
        for x, way, shirt in ((230, 1, "#E0B23E"), (1690, -1, "#EDE6D6"))
    )
    return svg(
        f"<defs>{gradient('w', (0, '#4A3A3F'), (1, '#77594A'))}{gradient('f', (0, '#A9774C'), (1, '#7B5233'))}</defs>"
        f'<path fill="url(#w)" d="M0 0h1920v560H0z"/>{crowd}<path fill="#33302F" d="M0 520h1920v40H0z"/><path fill="url(#f)" d="M0 560h1920v520H0z"/>'
        f'{lamps}{table}{players}<circle cx="1130" cy="560" r="15" fill="#FFFFFF"/>'
    )


def main() -> None:
    """Write the pictures and what is darkest and lightest in each."""
    for name, draw in (("noon", noon), ("lanterns", lanterns), ("hall", hall)):
        (FOLDER / f"{name}.svg").write_text(draw(), "utf-8")
    told = {}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1920, "height": 1080})
        for name, title in TITLES.items():
            page.goto((FOLDER / f"{name}.svg").as_uri())
            shot = FOLDER / f"{name}.png"
            page.screenshot(path=shot)
            with Image.open(shot) as image:
                grid = extremes(image)
            shot.unlink()
            told[name] = {
                "title": title,
                "grid": {**grid, **{key: [list(one) for one in grid[key]] for key in ("darkest", "lightest")}},
            }
        browser.close()
    (FOLDER / "scenes.json").write_text(json.dumps(told, separators=(",", ":")) + "\n", "utf-8")


if __name__ == "__main__":
    main()
