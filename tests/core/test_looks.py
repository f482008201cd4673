"""Looks: what they resolve to, that the shipped ones can be read, and their way out and in as design tokens."""

import json
from typing import Any

import pytest

from tesoura.core.overlays.design_tokens import from_tokens, to_tokens
from tesoura.core.overlays.fit.colours import contrast, luminance, mixed, rgb
from tesoura.core.overlays.looks import DEFAULTS, Look, from_document, to_document
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.errors import InvalidPiece, NotTokens

INK = SHIPPED["ink"]


def test_a_dozen_looks_ship_and_no_two_are_set_in_the_same_typeface() -> None:
    assert len(SHIPPED) == 12
    assert len({look.values["typeface"] for look in SHIPPED.values()}) == 12


@pytest.mark.parametrize("look", SHIPPED.values(), ids=lambda look: look.name)
@pytest.mark.parametrize("form", ["dark", "light"])
def test_every_shipped_look_can_be_read_over_black_and_over_white(look: Look, form: str) -> None:
    style = look.style(form)
    behind = [style["outline_colour"]] if style["backing"] == "none" else []
    if style["backing"] != "none":
        behind = [style["backing_colour"]] + ([style["backing_colour_2"]] if style["backing"] == "gradient" else [])
    for name in ("colour", "accent", "quiet"):
        for colour in behind:
            for under in ((0, 0, 0), (255, 255, 255)):
                opacity = 100 if style["backing"] == "none" else style["backing_opacity_pct"]
                seen = mixed(rgb(colour), under, opacity)
                assert contrast(rgb(style[name]), seen) >= 4.5, (name, colour, under)


def test_contrast_is_that_of_wcag() -> None:
    assert contrast(rgb("#FFFFFF"), rgb("#000000")) == pytest.approx(21)
    assert contrast(rgb("#777777"), rgb("#FFFFFF")) == pytest.approx(4.48, abs=0.01)
    assert luminance(rgb("#FF0000")) == pytest.approx(0.2126)
    assert mixed((200, 100, 0), (0, 100, 200), 25) == (50, 100, 150)


def test_a_look_is_changed_in_one_form_alone_where_colours_are_meant() -> None:
    changed = INK.changed({"colour": "#abc", "corner_px": "3", "name": " Dusk "}, "light")
    assert (changed.style("light")["colour"], changed.style("dark")["colour"]) == ("#AABBCC", "#FFFDF8")
    assert (changed.style("dark")["corner_px"], changed.name) == (3, "Dusk")
    with pytest.raises(InvalidPiece) as caught:
        INK.changed({"colour": "red", "corner_px": "-1", "sparkle": "1"}, "dark")
    assert caught.value.wrong == {"sparkle": "No such setting for a look."}
    with pytest.raises(InvalidPiece) as caught:
        INK.changed({"colour": "red", "corner_px": "-1"}, "dark")
    assert sorted(caught.value.wrong) == ["colour", "corner_px"]


def test_a_look_survives_being_stored_and_unusable_choices_are_left_out() -> None:
    assert from_document("ink", to_document(INK)) == INK
    odd = {
        "name": "Odd",
        "values": {"corner_px": "wide", "shape": "ticket", "magic": 1},
        "forms": {"dark": {"weight": 9}},
    }
    look = from_document("odd", odd)
    assert (look.values, look.style("dark")["weight"]) == ({"shape": "ticket"}, DEFAULTS["weight"])


@pytest.mark.parametrize("look", SHIPPED.values(), ids=lambda look: look.name)
def test_a_look_goes_out_as_design_tokens_and_comes_back_the_same(look: Look) -> None:
    again, left = from_tokens(look.id, json.loads(json.dumps(to_tokens(look))))
    assert left == []
    assert (again.name, again.about) == (look.name, look.about)
    assert [again.style(form) for form in ("dark", "light")] == [look.style(form) for form in ("dark", "light")]


def test_tokens_are_written_as_the_format_says() -> None:
    group = to_tokens(INK)["Ink"]
    assert group["corner_px"] == {
        "$type": "dimension",
        "$value": {"value": 14, "unit": "px"},
        "$description": "Corners",
    }
    assert group["motion_ms"]["$value"] == {"value": 420, "unit": "ms"}
    assert group["typeface"]["$value"] == ["Bricolage Grotesque"]
    assert group["dark"]["backing_colour"]["$value"] == {
        "colorSpace": "srgb",
        "components": [0.11765, 0.16471, 0.21961],
        "hex": "#1e2a38",
    }
    assert group["$extensions"]["org.tesoura.look"]["entry"] == "slide_up"


def test_tokens_made_elsewhere_are_read_with_aliases_units_and_plain_colours() -> None:
    document: dict[str, Any] = {
        "base": {"sea": {"$type": "color", "$value": "#0b2540"}},
        "colour": {"$type": "color", "$value": "{base.sea}"},
        "corner_px": {"$type": "dimension", "$value": {"value": 0.5, "unit": "rem"}},
        "motion_ms": {"$type": "duration", "$value": {"value": 0.25, "unit": "s"}},
        "accent": {"$type": "color", "$value": {"colorSpace": "oklch", "components": [0.7, 0.1, 200]}},
        "padding_px": {"$type": "dimension", "$value": {"value": 9999, "unit": "px"}},
    }
    look, left = from_tokens("x", document)
    assert (look.style("dark")["colour"], look.style("light")["colour"]) == ("#0B2540", "#0B2540")
    assert (look.values["corner_px"], look.values["motion_ms"]) == (8, 250)
    assert [one.split(":")[0] for one in left] == [
        "Imported look.padding_px",
        "Imported look.light.accent",
        "Imported look.dark.accent",
    ]


@pytest.mark.parametrize(
    "document", [[], "ink", {}, {"a": 1}, {"Look": {"b": {"$value": 1}}}, {"loop": {"$value": "{loop}"}}]
)
def test_what_is_no_file_of_tokens_is_refused(document: object) -> None:
    with pytest.raises(NotTokens):
        from_tokens("x", document)
