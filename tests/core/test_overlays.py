"""Overlays as documents: checks of every choice, and the difference between draft and on air."""

import pytest

from tesoura.core.overlays import TEXT_FIELDS, InvalidPiece, Overlay, TextPiece, differences, from_document, to_document

PIECE = TextPiece(id="a", name="Kite friends", wording="{reach.members:,} kite friends")


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
    assert getattr(PIECE.changed({name: typed}), name) == kept


@pytest.mark.parametrize(
    ("name", "typed", "word"),
    [
        ("backing_opacity_pct", "140", "from 0 to 100"),
        ("colour", "#12", "six digits"),
        ("colour", "red; background: url(x)", "six digits"),
        ("size_px", "huge", "not a number"),
        ("size_px", "", "This is empty. Give a number from 8 to 1000."),
        ("size_px", "nan", "outside"),
        ("size_px", "4", "from 8 to 1000"),
        ("x", "99999", "8192"),
        ("typeface", "Nobody Sans", "not one of these"),
        ("grow_toward", "up", "right, left, both"),
        ("grow_digits", "10", "from 0 to 9"),
        ("wording", "{reach.members", "Column 1"),
        ("wording", "  ", "empty"),
        ("name", "", "needs a name"),
        ("shoe_size", "42", "no such choice"),
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
    assert PIECE.changed({"typeface": "Righteous"}).weight == 400
    assert PIECE.changed({"typeface": "Caveat", "weight": "900"}).weight == 700


def test_a_document_survives_being_stored() -> None:
    overlay = Overlay(pieces=(PIECE,), shelf=(TextPiece(id="b"),))
    assert from_document(to_document(overlay)) == overlay


def test_a_choice_of_a_later_version_is_passed_over() -> None:
    document = to_document(Overlay(pieces=(PIECE,)))
    document["pieces"][0]["sparkle"] = True
    assert from_document(document).pieces == (PIECE,)


def test_what_differs_is_said_in_words() -> None:
    on_air = Overlay(pieces=(PIECE, TextPiece(id="b", name="Song")))
    draft = on_air.with_piece(PIECE.changed({"size_px": "64", "colour": "#C23A22"})).without("b")
    draft = draft.with_piece(TextPiece(id="c", name="Gift"))
    assert differences(draft, on_air) == [
        "Kite friends: size 72 → 64 px",
        "Kite friends: colour #FFFDF8 → #C23A22",
        "Gift: new",
        "Song: taken away",
    ]
    assert differences(on_air, on_air) == []
    assert differences(draft, None) == ["Nothing is on air yet."]


def test_an_order_that_changed_is_a_difference() -> None:
    other = TextPiece(id="b")
    assert differences(Overlay(pieces=(PIECE, other)), Overlay(pieces=(other, PIECE))) == [
        "Another order front to back"
    ]


def test_a_piece_taken_away_can_be_brought_back() -> None:
    overlay = Overlay(pieces=(PIECE,)).without("a")
    assert overlay.pieces == ()
    assert overlay.brought_back("a").pieces == (PIECE,)
    assert overlay.brought_back("a").shelf == ()
    assert overlay.brought_back("nobody") == overlay


def test_every_choice_of_a_piece_has_a_check() -> None:
    assert set(TEXT_FIELDS) == set(TextPiece.__dataclass_fields__) - {"id"}
