"""Widths as the fit check computes them agree with those of a real page, in every shipped typeface."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page

from tesoura.core.overlays.typefaces import CARRIED, TYPEFACES
from tesoura.studio.font_metrics import Faces
from tests.conftest import Running

NAMES = (
    "mara_vane",
    "otto_knot",
    "pip_gale",
    "june_spool",
    "wren_bobbin",
    "tuck",
    "halyard_sam",
    "teacup_ana",
    "bolt_uncle",
    "seven_socks",
    "gull_on_a_post",
    "margarine_moon",
    "Bartholomew Quillfeather",
    "AVATAR To. WAY",
    "Ty Tr Wo Ye V. P, L'",
    "Łódź Žižkov ąęć",
    "İstanbul Ğğ",
    "Ångström Çà",
    "Tiếng Việt đường",
    "Ελλάδα καλημέρα",
    "Привет, Аня Тула",
    "Їжак ґанок",
    "שלום לכולם",
    "“Quotes” – dash…",
    "office fi fl ffi",
)
PATTERNS = (
    "{}",
    "{} · 1,284",
    "1,234,567 {}",
    "{}: 04:59",
    "({}) +12 %",
    "{} gives 10 spools",
    "Kettle's on, {}",
    "№ 7 {} – 3.5×",
)
STRINGS = [pattern.format(name) for name in NAMES for pattern in PATTERNS]
MEASURE = """async ([family, weight, carried, strings]) => {
  const span = document.createElement("span");
  span.style.cssText = `position:absolute;white-space:pre;font:${weight} 100px '${family}','${carried}';` +
    "font-variant-numeric:tabular-nums;font-variant-ligatures:none;font-kerning:normal;text-rendering:geometricPrecision";
  document.body.append(span);
  for (const name of [family, carried]) await document.fonts.load(`${weight} 20px '${name}'`, strings.join(""));
  const widths = strings.map((text) => { span.textContent = text; return span.getBoundingClientRect().width; });
  span.remove();
  return widths;
}"""
MIDDLE = [(face.family, face.weights[len(face.weights) // 2]) for face in TYPEFACES]
CASES = [*MIDDLE, ("Fraunces", 100), ("Rubik", 900)]


@pytest.fixture(scope="module")
def faces() -> Faces:
    return Faces()


def test_two_hundred_strings_are_as_wide_as_in_a_browser(page: Page, running: Running, faces: Faces) -> None:
    assert len(set(STRINGS)) == 200
    page.goto("/typefaces/")
    wrong = []
    for place, (family, weight) in enumerate(sorted(CASES)):
        # Each face measures a third of them, so that every three neighbours measure all.
        strings = STRINGS[place % 3 :: 3]
        real = page.evaluate(MEASURE, [family, weight, CARRIED, strings])
        for text, width in zip(strings, real, strict=True):
            computed = faces(family, weight).width(text, 100)
            if abs(computed - width) > width * 0.01:
                wrong.append((family, weight, text, round(computed, 1), round(width, 1)))
    assert wrong == []
