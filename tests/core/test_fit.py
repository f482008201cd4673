"""The fit check, with a typeface whose letters are all half as wide as they are high."""

from collections.abc import Mapping
from typing import Any

import pytest

from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.core.overlays.edits import apply
from tesoura.core.overlays.fit.boxes import Box, box_of, hull
from tesoura.core.overlays.fit.check import check
from tesoura.core.overlays.fit.faces import Cut, Face, Pairs, Source
from tesoura.core.overlays.fit.findings import Finding
from tesoura.core.overlays.fit.placement import Surroundings, safe_area, seen_at_720
from tesoura.core.overlays.fit.scenery import Scenery
from tesoura.core.overlays.looks import Look

LETTERS = dict.fromkeys(range(32, 127), 500.0)
FACE = Face([Source(((0, 0x10FFFF),), lambda: Cut(1000, LETTERS))])
BLACK = Look("bare", "Bare", values={"backing": "none", "padding_px": 0, "line_height_pct": 100, "easing": "even"})
GREY = Scenery(1, 1, [(118.0, 118.0, 118.0)], [(119.0, 119.0, 119.0)])
DARK = Scenery(1, 1, [(0.0, 0.0, 0.0)], [(20.0, 20.0, 20.0)])


def text(id: str = "a", **choices: Any) -> Piece:
    return new_piece("text", id, **{"look": "bare", "wording": "hello", "x": 200, "y": 200, "size_px": 100, **choices})


def found(overlay: Overlay, says: Mapping[str, Mapping[str, str]], **around: Any) -> list[Finding]:
    texts = {name: {state: {"": told} for state, told in states.items()} for name, states in says.items()}
    told = {"scenery": DARK, **around}
    return check(overlay, Surroundings(texts, lambda family, weight: FACE, {"bare": BLACK}, **told))


def kinds(findings: list[Finding]) -> list[str]:
    return [one.kind for one in findings]


def mended(overlay: Overlay, finding: Finding, which: int = 0) -> Piece:
    edit = finding.mends[which].edit
    done = apply(
        overlay, edit, lambda piece: box_of(piece, piece.styled({"bare": BLACK}, "dark"), "", lambda *_: FACE), str
    )
    piece = done.overlay.piece(finding.piece)
    assert piece is not None
    return piece


def test_a_width_is_the_sum_of_advances_and_kerning() -> None:
    kerned = Cut(
        1000,
        LETTERS,
        ((Pairs({(65, 86): -80.0}), Pairs({(65, 86): -999.0})), (Pairs({}, {65: 1}, {86: 2}, {(1, 2): -20.0}),)),
    )
    face = Face([Source(((0, 127),), lambda: kerned)])
    assert face.width("AV", 100) == pytest.approx(90)
    assert face.width("AV", 100, 0.1) == pytest.approx(110)
    assert face.width("VA", 100) == pytest.approx(100)
    assert face.width("é", 100) == pytest.approx(60)
    assert face.missing("aéb\nü") == {"é", "ü"}


def test_letters_come_from_the_first_file_that_has_them_and_no_file_is_read_for_nothing() -> None:
    read: list[str] = []

    def reads(name: str, width: float) -> Cut:
        read.append(name)
        return Cut(1000, dict.fromkeys((*range(32, 127), 1046), width))

    face = Face(
        [
            Source(((0, 127),), lambda: reads("latin", 400.0)),
            Source(((0x400, 0x4FF),), lambda: reads("cyrillic", 700.0)),
        ]
    )
    assert face.width("ab", 10) == pytest.approx(8)
    assert "cyrillic" not in read
    assert face.width("aЖ", 10) == pytest.approx(11)


def test_a_text_is_as_large_as_its_words_and_held_by_the_side_it_does_not_grow_toward() -> None:
    style = text().styled({"bare": BLACK}, "dark")
    assert box_of(text(), style, "hello\nhi", lambda *_: FACE) == Box(200, 200, 250, 200)
    assert box_of(text(grow_toward="left"), style, "hello", lambda *_: FACE) == Box(-50, 200, 250, 100)
    assert box_of(text(grow_toward="both"), style, "hello", lambda *_: FACE) == Box(75, 200, 250, 100)
    padded = {**style, "padding_px": 25}
    assert box_of(text(), padded, "hello", lambda *_: FACE) == Box(200, 200, 300, 124)
    assert hull([Box(0, 0, 10, 10), Box(20, 5, 10, 10)]) == Box(0, 0, 30, 15)


def test_nothing_is_found_where_everything_fits() -> None:
    assert found(Overlay(pieces=(text(),)), {"a": {"now": "hello", "longest": "hello hello"}}) == []


def test_words_that_need_more_than_their_box_are_told_with_the_size_that_fits() -> None:
    overlay = Overlay(pieces=(text(width_px=300),))
    [finding] = found(overlay, {"a": {"now": "12345", "grown": "123456", "longest": "12345678"}})
    assert (finding.kind, finding.words) == (
        "box",
        "With the longest text, “12345678” needs a box 100 px wider than it has.",
    )
    assert [one.words for one in finding.mends] == ["Make its text 75 px", "Make it 400 px wide"]
    for which in (0, 1):
        assert found(Overlay(pieces=(mended(overlay, finding, which),)), {"a": {"now": "12345678"}}) == []


def test_the_last_word_counts_as_well() -> None:
    overlay = Overlay(pieces=(text(width_px=300),))
    [finding] = found(overlay, {"a": {"now": "04:59", "last": "Kettle's on, in we go"}})
    assert finding.words.startswith("With its last text, “Kettle's on, in we go”")


def test_lines_that_need_more_height_are_told() -> None:
    overlay = Overlay(pieces=(text(height_px=150, width_px=400),))
    [finding] = found(overlay, {"a": {"now": "one\ntwo"}})
    assert finding.words == "Now, “one two” needs a box 50 px higher than it has."
    assert found(Overlay(pieces=(mended(overlay, finding, 1),)), {"a": {"now": "one\ntwo"}}) == []


def test_texts_of_one_row_share_its_width() -> None:
    piece = new_piece(
        "bar", "a", look="bare", x=200, y=200, width_px=500, height_px=200, size_px=50, label="{a.b}", figure="{a.c}"
    )
    says = {"a": {"now": {"": "1", "label": "1234567890", "figure": "1234567890"}}}
    [finding] = check(Overlay(pieces=(piece,)), Surroundings(says, lambda *_: FACE, {"bare": BLACK}, scenery=DARK))
    assert finding.words == "Now, “1234567890” needs a box 25 px wider than it has."


def test_a_slot_has_its_share_of_the_width_less_its_icon() -> None:
    slots = new_piece(
        "slots",
        "a",
        look="bare",
        x=200,
        y=200,
        width_px=410,
        height_px=200,
        size_px=50,
        gap_px=10,
        label_1="",
        label_2="",
        icon_2="none",
        values="yes",
    )
    says = {"a": {"now": {"": "1", "value_1": "12345", "value_2": "12345678"}}}
    findings = check(Overlay(pieces=(slots,)), Surroundings(says, lambda *_: FACE, {"bare": BLACK}, scenery=DARK))
    assert findings == []
    says = {"a": {"now": {"": "1", "value_1": "1234567", "value_2": "1"}}}
    [finding] = check(Overlay(pieces=(slots,)), Surroundings(says, lambda *_: FACE, {"bare": BLACK}, scenery=DARK))
    assert finding.words == "Now, “1234567” needs a box 60 px wider than it has."


@pytest.mark.parametrize(
    ("choices", "kind", "words", "place"),
    [
        ({"x": 1800}, "overlay", "It extends 130 px outside the overlay, where it's invisible.", (1574, 200)),
        ({"x": -20}, "overlay", "It extends 20 px outside the overlay, where it's invisible.", (96, 200)),
        ({"x": 1600}, "safe", "26 px are outside the safe area, which some screens cut off.", (1574, 200)),
        ({"y": 20}, "safe", "34 px are outside the safe area, which some screens cut off.", (200, 54)),
    ],
)
def test_a_piece_outside_the_overlay_or_the_safe_area_is_moved_in(
    choices: dict[str, Any], kind: str, words: str, place: tuple[int, int]
) -> None:
    overlay = Overlay(pieces=(text(**choices),))
    [finding] = found(overlay, {"a": {"now": "hello"}})
    assert (finding.kind, finding.words) == (kind, words)
    piece = mended(overlay, finding)
    assert (piece["x"], piece["y"]) == place
    assert [one for one in found(Overlay(pieces=(piece,)), {"a": {"now": "hello"}}) if one.kind == "overlay"] == []


def test_growth_counts_and_is_told_as_such() -> None:
    [finding] = found(Overlay(pieces=(text(x=1500),)), {"a": {"now": "hello", "grown": "hello hello"}})
    assert (
        finding.words == "With the digits reserved for it, it extends 130 px outside the overlay, where it's invisible."
    )


def test_a_piece_that_comes_springily_needs_room_to_swing() -> None:
    piece = text(x=0, easing="springy", entry="grow")
    assert kinds(found(Overlay(pieces=(piece,), safe="no"), {"a": {"now": "hello"}})) == ["overlay"]
    assert found(Overlay(pieces=(piece,), safe="no", motion="no"), {"a": {"now": "hello"}}) == []


def test_the_safe_area_can_be_left_unminded_and_a_bar_has_none() -> None:
    assert safe_area(Overlay()) == Box(96, 54, 1728, 972)
    assert safe_area(Overlay(safe="no")) is None
    assert safe_area(Overlay(1200, 96)) is None
    sizes = [(1920, 1080), (2560, 1440), (360, 48)]
    assert [seen_at_720(Overlay(*size)) for size in sizes] == pytest.approx([2 / 3, 0.5, 2 / 3])


def test_what_lies_over_words_is_told_and_brought_behind() -> None:
    overlay = Overlay(pieces=(text(), text("b", x=300, name="Song", backing="solid")))
    says = {"a": {"now": "hello"}, "b": {"now": "hi"}}
    [finding] = [one for one in found(overlay, says) if one.kind == "covered"]
    assert (finding.piece, finding.words) == ("a", "“Song” covers 40 % of it.")
    done = apply(overlay, finding.mends[0].edit, lambda piece: Box(0, 0, 1, 1), str)
    assert [piece.id for piece in done.overlay.pieces] == ["b", "a"]


def test_several_pieces_over_one_are_one_finding_and_it_is_brought_in_front_of_all() -> None:
    over = [text(name, x=300, name=name.upper(), backing="solid") for name in ("b", "c")]
    overlay = Overlay(pieces=(text(), *over))
    says = {name: {"now": told} for name, told in (("a", "hello"), ("b", "hi"), ("c", "hihi"))}
    [finding] = [one for one in found(overlay, says) if one.kind == "covered" and one.piece == "a"]
    assert finding.words == "“C” covers 60 % of it, and 1 more lie over it."
    done = apply(overlay, finding.mends[0].edit, lambda piece: Box(0, 0, 1, 1), str)
    assert [piece.id for piece in done.overlay.pieces] == ["b", "c", "a"]


def test_a_size_that_nobody_could_read_is_not_offered() -> None:
    [finding] = found(Overlay(pieces=(text(width_px=60, size_px=30),)), {"a": {"now": "12345678"}})
    assert [one.words for one in finding.mends] == ["Make it 120 px wide"]


def test_what_only_passes_over_words_while_it_comes_is_told_too() -> None:
    other = text("b", x=460, name="Song", entry="slide_left", backing="solid")
    overlay = Overlay(pieces=(text(), other))
    [finding] = [one for one in found(overlay, {"a": {"now": "hello"}, "b": {"now": "hi"}}) if one.kind == "covered"]
    assert finding.words == "“Song” covers 28 % of it while it enters and exits."


def test_a_moment_that_would_cover_words_says_when() -> None:
    other = text("b", x=300, name="Gift", appears="moment", moment_type="gift", backing="solid")
    [finding] = [
        one
        for one in found(Overlay(pieces=(text(), other)), {"a": {"now": "hello"}, "b": {"now": "hi"}})
        if one.kind == "covered"
    ]
    assert finding.words == "“Gift” covers 40 % of it when it appears."


def test_a_replay_covers_what_is_behind_its_box_while_it_is_seen_whatever_it_wears() -> None:
    replay = new_piece(
        "replay",
        "b",
        look="bare",
        name="Again",
        replays="again",
        words="none",
        x=300,
        y=150,
        width_px=640,
        height_px=360,
    )
    overlay = Overlay(pieces=(text(), replay))
    [finding] = [one for one in found(overlay, {"a": {"now": "hello"}, "b": {"now": ""}}) if one.kind == "covered"]
    assert finding.words == "“Again” covers 60 % of it during a replay."
    # And it is told when something lies over its own picture.
    over = Overlay(pieces=(replay, text(x=400, backing="solid", name="Song")))
    [finding] = [one for one in found(over, {"a": {"now": "hello"}, "b": {"now": ""}}) if one.kind == "covered"]
    assert (finding.piece, finding.words) == ("b", "“Song” covers 11 % of it.")


def test_a_picture_that_is_yet_to_be_chosen_is_covered_by_nothing() -> None:
    picture = new_piece("picture", "a", x=200, y=200, width_px=300, height_px=200)
    over = Overlay(pieces=(picture, text("b", x=220, y=220, backing="solid")))
    assert [one for one in found(over, {"b": {"now": "hello"}}) if one.kind == "covered"] == []


def test_words_too_close_in_colour_to_what_is_behind_them_are_told() -> None:
    overlay = Overlay(pieces=(text(colour="#777777"),))
    [finding] = found(overlay, {"a": {"now": "hello"}}, scenery=GREY)
    assert finding.kind == "contrast"
    assert finding.words == "The letters have a contrast of 1.0 against the background; at least 3 is needed."
    assert [one.words for one in finding.mends] == ["Add a backing", "Outline the text", "Make the letters #FFFDF8"]
    for which in range(3):
        again = Overlay(pieces=(mended(overlay, finding, which),))
        assert "contrast" not in kinds(found(again, {"a": {"now": "hello"}}, scenery=GREY))


def test_small_words_need_more_contrast_than_large_ones() -> None:
    # #949494 on black is 6.9; on #404040 it is 3.4.
    grey = Scenery(1, 1, [(64.0, 64.0, 64.0)], [(64.0, 64.0, 64.0)])
    large, small = (Overlay(pieces=(text(colour="#949494", size_px=size),)) for size in (100, 30))
    assert found(large, {"a": {"now": "hi"}}, scenery=grey) == []
    [finding] = found(small, {"a": {"now": "hi"}}, scenery=grey)
    assert "3.4 against the background; at least 4.5 is needed" in finding.words


def test_a_backing_is_mixed_by_its_opacity_and_made_just_opaque_enough() -> None:
    white = Scenery(1, 1, [(255.0, 255.0, 255.0)], [(255.0, 255.0, 255.0)])
    piece = text(colour="#FFFFFF", backing="solid", backing_colour="#000000", backing_opacity_pct=20)
    overlay = Overlay(pieces=(piece,))
    [finding] = found(overlay, {"a": {"now": "hi"}}, scenery=white)
    # White on a grey of 58 % of white (#949494) is 3.03, on one of 59 % it is 2.96.
    assert finding.mends[0].words == "Make its backing 42 % opaque"
    assert found(Overlay(pieces=(mended(overlay, finding),)), {"a": {"now": "hi"}}, scenery=white) == []


def test_a_backing_that_lies_under_a_piece_counts_for_it() -> None:
    white = Scenery(1, 1, [(255.0, 255.0, 255.0)], [(255.0, 255.0, 255.0)])
    under = new_piece(
        "backing",
        "u",
        look="bare",
        x=150,
        y=150,
        width_px=600,
        height_px=300,
        backing="solid",
        backing_colour="#000000",
        backing_opacity_pct=100,
    )
    piece = text(colour="#FFFFFF")
    assert kinds(found(Overlay(pieces=(piece,)), {"a": {"now": "hi"}}, scenery=white)) == ["contrast"]
    assert found(Overlay(pieces=(under, piece)), {"a": {"now": "hi"}}, scenery=white) == []


def test_a_scene_picture_is_asked_only_where_the_piece_lies() -> None:
    scene = Scenery(2, 1, [(0.0, 0.0, 0.0), (200.0, 200.0, 200.0)], [(9.0, 9.0, 9.0), (255.0, 255.0, 255.0)])
    assert scene.behind(Box(0, 0, 900, 100), 1920, 1080) == ((0.0, 0.0, 0.0), (9.0, 9.0, 9.0))
    assert scene.behind(Box(900, 0, 200, 100), 1920, 1080) == ((0.0, 0.0, 0.0), (255.0, 255.0, 255.0))
    assert scene.behind(Box(5000, -50, 10, 10), 1920, 1080) == ((200.0, 200.0, 200.0), (255.0, 255.0, 255.0))


def test_text_that_cannot_be_read_at_720_lines_is_told() -> None:
    overlay = Overlay(pieces=(text(size_px=15),))
    [finding] = found(overlay, {"a": {"now": "hi"}})
    assert finding.words == "Its smallest text is 10.0 px at 720 lines; at least 14 px is needed."
    assert mended(overlay, finding)["size_px"] == 21


def test_a_picture_beyond_its_pixels_is_told() -> None:
    piece = new_piece("picture", "a", look="bare", media="ab12.png", x=200, y=200, width_px=640, height_px=200)
    overlay = Overlay(pieces=(piece,))
    [finding] = found(overlay, {}, pictures={"ab12.png": (160, 100)})
    assert finding.words == "Its file has 160 × 100 pixels and is displayed 2.0 times larger, so it looks blurred."
    assert (mended(overlay, finding)["width_px"], mended(overlay, finding)["height_px"]) == (320, 100)
    assert found(overlay, {}, pictures={"ab12.png": (0, 0)}) == []


def test_what_a_piece_needs_and_is_gone_is_told() -> None:
    piece = text(look="lost", typeface="Nobody Sans", size_px=40)
    overlay = Overlay(pieces=(piece,))
    findings = found(overlay, {"a": {"now": "hi"}}, gone={"a": ["reach.members"]})
    assert [one.part for one in findings if one.kind == "gone"] == ["reach.members", "look", "typeface"]
    lost = new_piece("picture", "p", media="ab12.png", look="bare", x=200, y=200)
    assert kinds(found(Overlay(pieces=(lost,)), {})) == ["gone"]


def test_letters_that_no_typeface_has_are_told() -> None:
    [finding] = found(Overlay(pieces=(text(),)), {"a": {"now": "カ"}})
    assert (finding.kind, "(カ)" in finding.words) == ("letters", True)


def test_a_finding_names_the_scenes_it_is_found_in() -> None:
    piece = text().changed({"x": 1900}, "Talk").changed({"shown": "no"}, "Break")
    [finding] = found(Overlay(pieces=(piece,)), {"a": {"now": "hello"}}, scenes=["Play", "Talk", "Break"])
    assert (finding.kind, finding.scenes) == ("overlay", ("Talk",))
    moved = apply(Overlay(pieces=(piece,)), finding.mends[0].edit, lambda one: Box(0, 0, 1, 1), str).overlay.pieces[0]
    assert (moved["x"], moved.in_scene("Talk")["x"]) == (200, 1574)


def test_a_hidden_piece_is_not_looked_at() -> None:
    assert found(Overlay(pieces=(text(x=5000, hidden="yes"),)), {"a": {"now": "hello"}}) == []


def test_an_accent_belongs_to_its_letter_however_it_is_written() -> None:
    cut = Cut(1000, {ord("a"): 600, ord("é"): 500, ord("e"): 500})
    face = Face([Source(((0, 0x10FFFF),), lambda: cut)])
    assert face.width("ae\u0301", 10) == face.width("aé", 10) == 11.0
    assert face.missing("e\u0301") == frozenset()
    # Spacing stands after each letter as people see it.
    assert face.width("ae\u0301", 10, 0.1) == face.width("aé", 10, 0.1) == 13.0
    assert face.missing("a\u202fa") == {"\u202f"}


def test_of_letters_that_no_typeface_has_it_is_said_that_the_width_cannot_be_told() -> None:
    overlay = Overlay(pieces=(text(width_px=60, size_px=40),))
    told = found(overlay, {"a": {"now": "漢字漢字漢字漢字漢字漢字"}})
    assert "box" not in kinds(told)
    [letters] = [one for one in told if one.kind == "letters"]
    assert "), so how they look and whether they fit depends on the machine that displays them" in letters.words


def test_the_card_of_a_read_stands_above_everything_wherever_it_stands_in_the_order() -> None:
    card = new_piece("read_card", "a", name="Card", campaign="tea", x=200, y=200, width_px=300, height_px=100)
    over = Overlay(pieces=(card, text("b", x=220, y=220, backing="solid")))
    [finding] = [
        one for one in found(over, {"a": {"": "1", "words": "tea"}, "b": {"now": "hello"}}) if one.kind == "covered"
    ]
    assert (finding.piece, finding.words.startswith("“Card” covers")) == ("b", True)


def test_behind_a_mark_it_must_be_even_and_a_solid_backing_is_proposed() -> None:
    bare = new_piece("sponsor", "a", name="Marks", rotation="turns", x=200, y=200).changed({"backing": "none"})
    busy = Scenery(1, 1, [(0.0, 0.0, 0.0)], [(255.0, 255.0, 255.0)])
    says = {"a": {"": "1", "face": "[]", "ahead": "[]"}}
    [finding] = [one for one in found(Overlay(pieces=(bare,)), says, scenery=busy) if one.kind == "contrast"]
    assert finding.words == ("The background varies from dark to light (1 to 21.0), so parts won't be readable.")
    assert finding.mends[0].words == "Add a solid backing"
    assert "contrast" not in kinds(
        found(Overlay(pieces=(mended(Overlay(pieces=(bare,)), finding, 0),)), says, scenery=busy)
    )
    # Where it is even it may stand without.
    assert "contrast" not in kinds(found(Overlay(pieces=(bare,)), says, scenery=GREY))


# What is not there yet


def lacking(piece: Piece, **around: Any) -> list[tuple[str, str, list[str]]]:
    """What is missing: the words, what is to be made, and the words of the mends."""
    told = {"instruments": {}, "events": frozenset(), **around}
    findings = check(Overlay(pieces=(piece,)), Surroundings({}, lambda *_: FACE, {"bare": BLACK}, scenery=DARK, **told))
    return [(one.words, one.makes, [mend.words for mend in one.mends]) for one in findings if one.kind == "missing"]


def test_words_that_were_never_written_are_told() -> None:
    [(words, makes, _)] = lacking(text(wording="Your text here"))
    assert (words, makes) == ("still says “Your text here”. Enter the text viewers should read.", "")
    assert lacking(text(wording="Our words here")) == []


def test_a_piece_that_draws_no_instrument_is_told_with_those_there_are() -> None:
    bare = new_piece("countdown", "a", look="bare", countdown="")
    assert lacking(bare) == [("shows nothing yet. Choose what it shows.", "instrument:countdown", [])]
    there = {"tea": ("countdown", "Tea"), "wheel": ("wheel", "Wheel")}
    gone = new_piece("countdown", "a", look="bare", countdown="cake")
    assert lacking(gone, instruments=there) == [("draws cake, which doesn't exist.", "", ["Let it draw “Tea”"])]
    assert lacking(new_piece("countdown", "a", look="bare", countdown="tea"), instruments=there) == []


def test_signals_and_events_that_never_came_are_told_once_each() -> None:
    assert lacking(text(), unheard={"a": ["reach.members"]}) == [
        ("reads reach.members, which has no value yet.", "feed", [])
    ]
    gift = text(appears="moment", moment_type="gift")
    assert lacking(gift, unheard={"a": ["gift.name"]}) == [
        ("appears when gift happens, which hasn't happened yet.", "event", [])
    ]
    assert lacking(gift, events=frozenset({"gift"})) == []
    assert lacking(text(appears="moment", moment_type=""))[0][1] == ""


def test_what_becomes_of_old_values_is_asked_once_for_all_pieces_until_somebody_decides() -> None:
    pieces = (text("a", y=100), text("b", y=300), text("c", y=500), text("d", y=700, when_old="keep"))
    says = {one.id: {"now": "hello"} for one in pieces}
    aging = {"a": ["reach.members"], "b": ["reach.members"], "c": [], "d": ["reach.members"]}
    [asked] = [one for one in found(Overlay(pieces=pieces), says, aging=aging) if one.kind == "old"]
    assert asked.piece == "a"
    assert asked.words == (
        "shows reach.members. Choose what viewers see when the value is older than 5 intervals; by default "
        "it is dimmed. "
        "This applies to 1 more piece."
    )
    assert [one.words for one in asked.mends] == ["Dim the piece", "Keep showing it", "Hide it"]
    assert asked.mends[1].edit == {"do": "change", "pieces": ["a", "b"], "set": {"when_old": "keep"}, "scene": ""}
    decided = tuple(one.changed({"when_old": "keep"}) for one in pieces)
    assert not [one for one in found(Overlay(pieces=decided), says, aging=aging) if one.kind == "old"]
