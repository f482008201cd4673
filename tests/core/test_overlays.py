"""Overlays as documents: checks of every choice, and the difference between draft and on air."""

import pytest

from tesoura.core.overlays.differences import Difference, differences, sent_straight
from tesoura.core.overlays.document import Overlay, from_document, new_piece, size_problem, to_document
from tesoura.core.overlays.looks import Look
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.overlays.swapping import swapped
from tesoura.errors import InvalidPiece, NewerDocument

PIECE = new_piece("text", "a", name="Kite friends", wording="{reach.members:,} kite friends", size_px=72)


@pytest.mark.parametrize(
    ("name", "typed", "kept"),
    [
        ("size_px", "48", 48),
        ("size_px", " 47.6 ", 48),
        ("x", "-20", -20),
        ("backing_opacity_pct", "0", 0),
        ("colour", "c23a22", "#C23A22"),
        ("colour", "#abc", "#AABBCC"),
        ("typeface", "young serif", "Young Serif"),
        ("align", "Centre", "centre"),
        ("nothing_yet", "", ""),
        ("wording", "one\r\ntwo", "one\ntwo"),
        ("name", "  Kite   friends ", "Kite friends"),
    ],
)
def test_a_choice_is_kept_as_it_was_meant(name: str, typed: str, kept: object) -> None:
    piece = PIECE.changed({name: typed})
    assert {**piece.choices, **piece.style}[name] == kept


@pytest.mark.parametrize(
    ("name", "typed", "word"),
    [
        ("backing_opacity_pct", "140", "from 0 to 100"),
        ("colour", "#12", "six digits"),
        ("colour", "red; background: url(x)", "six digits"),
        ("size_px", "huge", "not a number"),
        ("size_px", "", "This is empty. Give a number from 8 to 1000."),
        ("size_px", "nan", "out of range"),
        ("size_px", "4", "from 8 to 1000"),
        ("x", "99999", "8192"),
        ("typeface", "x'); }", "” is not a typeface"),
        ("grow_toward", "up", "right, left, both"),
        ("grow_digits", "10", "from 0 to 9"),
        ("wording", "{reach.members", "Column 1"),
        ("wording", "  ", "empty"),
        ("name", "", "Enter a name"),
        ("shoe_size", "42", "No such setting"),
    ],
)
def test_a_wrong_choice_says_what_would_be_right(name: str, typed: str, word: str) -> None:
    with pytest.raises(InvalidPiece) as caught:
        PIECE.changed({name: typed})
    assert word in caught.value.wrong[name]


def test_all_wrong_choices_are_told_at_once() -> None:
    with pytest.raises(InvalidPiece) as caught:
        PIECE.changed({"size_px": "x", "colour": "#12", "y": "3"})
    assert sorted(caught.value.wrong) == ["colour", "size_px"]


def test_a_typeface_without_the_weight_takes_the_nearest_it_has() -> None:
    assert PIECE.changed({"typeface": "Righteous"}).styled({}, "dark")["weight"] == 400
    assert PIECE.changed({"typeface": "Caveat", "weight": "900"}).styled({}, "dark")["weight"] == 700


def test_a_piece_wears_its_look_but_for_what_it_does_otherwise() -> None:
    piece = PIECE.changed({"look": "ink", "colour": "#C23A22"})
    look = Look(
        "ink", "Ink", values={"corner_px": 3}, forms={"dark": {"accent": "#111111"}, "light": {"accent": "#222222"}}
    )
    style = piece.styled({"ink": look}, "dark")
    assert (style["corner_px"], style["accent"], style["colour"]) == (3, "#111111", "#C23A22")
    assert piece.styled({"ink": look}, "light")["accent"] == "#222222"
    assert piece.changed({"form": "light"}).styled({"ink": look}, "dark")["accent"] == "#222222"
    assert piece.changed({"colour": None}).style == {}


def test_a_piece_differs_in_one_scene_alone() -> None:
    piece = PIECE.changed({"x": "10", "look": "gust", "shown": "no"}, "Talk")
    assert (piece["x"], piece.in_scene("Talk")["x"], piece.in_scene("Talk").look) == (96, 10, "gust")
    assert (piece.shown_in("Talk"), piece.shown_in("Play"), piece.in_scene("Play")) == (False, True, piece)
    with pytest.raises(InvalidPiece, match="This can't differ per scene"):
        piece.changed({"wording": "other"}, "Talk")
    back = piece.changed({"x": None, "look": None, "shown": None}, "Talk")
    assert back.scenes == {}


def test_a_document_survives_being_stored() -> None:
    piece = new_piece("slots", "b", count=3, colour="#C23A22").changed({"x": 4}, "Talk")
    overlay = Overlay(
        1200, 96, (PIECE, piece), "light", "no", "no", (("x", 5),), ".a{}", "noon", {"ink": SHIPPED["ink"]}
    )
    again = from_document(to_document(overlay))
    assert again == overlay
    assert again.looks == overlay.looks


def test_a_document_of_the_first_version_looks_as_it_did() -> None:
    stored = {
        "version": 1,
        "width_px": 1920,
        "height_px": 1080,
        "shelf": [],
        "pieces": [
            {
                "kind": "text",
                "id": "a",
                "wording": "hi",
                "size_px": 64,
                "typeface": "Righteous",
                "colour": "#FFE9B8",
                "corner_px": 6,
                "grow_toward": "left",
                "x": 5,
            }
        ],
    }
    [piece] = from_document(stored).pieces
    assert (piece["wording"], piece["size_px"], piece["grow_toward"], piece["x"]) == ("hi", 64, "left", 5)
    assert piece.style == {"typeface": "Righteous", "colour": "#FFE9B8", "corner_px": 6}


def test_a_choice_that_cannot_be_used_is_passed_over_and_a_newer_document_refused() -> None:
    document = to_document(Overlay(pieces=(PIECE,)))
    document["pieces"][0]["choices"] |= {"sparkle": True, "size_px": "huge"}
    document["pieces"].append({"kind": "hologram", "id": "h"})
    [piece] = from_document(document).pieces
    assert (piece["size_px"], piece["wording"]) == (48, PIECE["wording"])
    with pytest.raises(NewerDocument, match="newer Tesoura"):
        from_document({**document, "version": 3})


@pytest.mark.parametrize(
    "given",
    [{"x": None}, {"wording": None}, {"look": None}, {"name": None}, {"x": [1]}, {"size_px": {}}, {"colour": []}],
)
def test_nothing_is_no_value_for_a_choice_that_has_no_look_to_go_back_to(given: dict[str, object]) -> None:
    with pytest.raises(InvalidPiece, match="Give a number or a text"):
        PIECE.changed(given)


def test_ids_that_could_say_more_than_an_id_are_not_taken() -> None:
    document = to_document(Overlay(pieces=(PIECE,)))
    document["pieces"].append({**document["pieces"][0], "id": "x{}</style><script>"})
    document["pieces"].append({**document["pieces"][0], "id": "b", "look": "x{} .p-a"})
    document["looks"] = {"y{}</style>": {"name": "Bad"}, "ink": {"name": "Good"}}
    overlay = from_document(document)
    assert [(piece.id, piece.look) for piece in overlay.pieces] == [("a", "plain"), ("b", "plain")]
    assert list(overlay.looks) == ["ink"]


def said(found: list[Difference]) -> list[str]:
    return [one.words for one in found]


def test_what_differs_is_said_in_words() -> None:
    on_air = Overlay(pieces=(PIECE, new_piece("text", "b", name="Song")))
    draft = on_air.with_piece(PIECE.changed({"size_px": "64", "colour": "#C23A22"})).without(["b"])
    draft = draft.with_piece(new_piece("text", "c", name="Gift"))
    assert said(differences(draft, on_air)) == [
        "Kite friends: size 72 → 64 px",
        "Kite friends: colour use look → #C23A22",
        "Gift: new",
        "Song: deleted",
    ]
    assert differences(on_air, on_air) == []
    assert said(differences(draft, None)) == ["Nothing is on air yet."]


def test_what_differs_in_a_scene_in_a_look_and_in_the_overlay_is_said() -> None:
    worn = PIECE.changed({"look": "ink"})
    on_air = Overlay(pieces=(worn,), looks={"ink": SHIPPED["ink"]})
    draft = Overlay(
        1200,
        96,
        (worn.changed({"x": 4}, "Talk"),),
        "light",
        css=".a{}",
        looks={"ink": SHIPPED["ink"].changed({"corner_px": 2}, "dark")},
    )
    assert said(differences(draft, on_air)) == [
        "Size 1920 × 1080 → 1200 × 96 px",
        "Form: dark → light",
        "Custom style sheet: changed",
        "Look “Ink”: corners",
        "Kite friends in Talk: across",
    ]


def test_one_difference_is_sent_straight_and_the_others_wait() -> None:
    on_air = Overlay(pieces=(PIECE,))
    draft = on_air.with_piece(PIECE.changed({"size_px": "64", "colour": "#C23A22"})).with_piece(new_piece("text", "c"))
    size, colour, new = differences(draft, on_air)
    sent = sent_straight(draft, on_air, colour)
    assert sent is not None
    assert said(differences(draft, sent)) == [size.words, new.words]
    sent = sent_straight(draft, sent, new)
    assert sent is not None
    assert said(differences(draft, sent)) == [size.words]
    order = Difference("Order changed")
    assert sent_straight(draft, on_air, order) is None


def test_an_order_that_changed_is_a_difference() -> None:
    other = new_piece("text", "b")
    assert said(differences(Overlay(pieces=(PIECE, other)), Overlay(pieces=(other, PIECE)))) == ["Order changed"]


@pytest.mark.parametrize(
    ("width", "height", "words"),
    [
        ("0", "96", "0 px is not a valid size"),
        (40_000, 1080, "16 to 8,192 px"),
        ("wide", 9, "not a number"),
        (16, 8192, None),
        ("nan", 100, "nan px is not a valid size"),
    ],
)
def test_a_size_that_no_page_has_is_refused(width: object, height: object, words: str | None) -> None:
    problem = size_problem(width, height)
    assert (problem is None) if words is None else words in (problem or "")


def test_a_size_that_fits_comes_with_an_arrangement_unless_one_is_given() -> None:
    card = new_piece("song_card", "song")
    assert [card[name] for name in ("width_px", "height_px", "size_px")] == [520, 132, 30]
    strip = card.changed({"arranged": "strip"})
    assert [strip[name] for name in ("width_px", "height_px", "size_px")] == [360, 48, 18]
    wide = strip.changed({"arranged": "band", "width_px": 800})
    assert [wide[name] for name in ("width_px", "height_px", "size_px")] == [800, 92, 30]
    # One that stays what it was keeps the size that was chosen since.
    assert wide.changed({"width_px": 700}).changed({"arranged": "band"})["width_px"] == 700


def test_another_file_is_put_in_the_place_of_one_where_it_is_shown_and_only_where_that_is_wanted() -> None:
    kite, reel = (new_piece("picture", one, media="kite.png") for one in "ab")
    overlay = Overlay(pieces=(kite, PIECE.changed({"wording": "kite.png"}), reel))
    after, places = swapped(overlay, "kite.png", "gull.png")
    assert places == ["a.media", "b.media"]
    assert [after.pieces[at]["media"] for at in (0, 2)] == ["gull.png", "gull.png"]
    assert after.pieces[1]["wording"] == "kite.png"
    back, places = swapped(after, "gull.png", "kite.png", ["b.media"])
    assert ([back.pieces[at]["media"] for at in (0, 2)], places) == (["gull.png", "kite.png"], ["b.media"])
    assert swapped(overlay, "nobody.png", "gull.png") == (overlay, [])
