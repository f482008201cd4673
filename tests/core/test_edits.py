"""Edits of a draft: what each does, what it is called, what it refuses."""

import itertools
from collections.abc import Callable, Mapping
from typing import Any

import pytest

from tesoura.core.overlays import edits
from tesoura.core.overlays.document import MAX_PIECES, Overlay, Piece, new_piece
from tesoura.core.overlays.edits import Edited
from tesoura.core.overlays.fit.boxes import Box
from tesoura.errors import Gone, InvalidPiece, NotAnEdit


def block(id: str, x: int, y: int, width: int = 100, height: int = 50, **choices: Any) -> Piece:
    return new_piece("backing", id, x=x, y=y, width_px=width, height_px=height, name=id.upper(), **choices)


THREE = Overlay(pieces=(block("a", 0, 0), block("b", 300, 40), block("c", 500, 100, 200, 100)))


def boxed(piece: Piece) -> Box:
    return Box(piece["x"], piece["y"], piece["width_px"], piece["height_px"])


def ids() -> Callable[[], str]:
    numbers = itertools.count(1)
    return lambda: f"new{next(numbers)}"


def done(overlay: Overlay, **edit: Any) -> Edited:
    return edits.apply(overlay, edit, boxed, ids())


def places(overlay: Overlay, *names: str) -> list[Any]:
    return [tuple(piece[name] for name in names) if len(names) > 1 else piece[names[0]] for piece in overlay.pieces]


def order(overlay: Overlay) -> str:
    return "".join(piece.id for piece in overlay.pieces)


def test_choices_are_made_for_several_pieces_at_once_and_told() -> None:
    made = done(THREE, do="change", pieces=["a", "b"], set={"corner_px": "4", "opacity_pct": 50})
    assert [piece.style.get("corner_px") for piece in made.overlay.pieces] == [4, 4, None]
    assert made.words == "2 pieces: corners, opacity of the piece"
    assert made.touched == {("a", "corner_px"), ("b", "corner_px"), ("a", "opacity_pct"), ("b", "opacity_pct")}


def test_what_is_wrong_is_told_and_the_rest_is_made() -> None:
    made = done(THREE, do="change", pieces=["a"], set={"x": "12", "corner_px": "huge"})
    assert (made.overlay.pieces[0]["x"], sorted(made.wrong), made.words) == (12, ["corner_px"], "“A”: across")


def test_a_choice_in_a_scene_says_so() -> None:
    made = done(THREE, do="change", pieces=["a"], set={"x": 12}, scene="Talk")
    assert made.words == "“A”: across in Talk"
    assert (made.overlay.pieces[0]["x"], made.overlay.pieces[0].in_scene("Talk")["x"]) == (0, 12)


@pytest.mark.parametrize("edit", [{"do": "change", "set": {"x": 4}}, {"do": "align", "to": "left"}])
def test_a_pinned_piece_stays(edit: Mapping[str, Any]) -> None:
    pinned = Overlay(pieces=(block("a", 0, 0, pinned="yes"),))
    with pytest.raises(InvalidPiece, match="“A” is pinned"):
        done(pinned, pieces=["a"], **edit)
    assert done(pinned, do="change", pieces=["a"], set={"pinned": "no"}).overlay.pieces[0]["pinned"] == "no"


@pytest.mark.parametrize(
    ("to", "name", "expected"),
    [
        ("left", "x", [0, 0, 0]),
        ("centre", "x", [300, 300, 250]),
        ("right", "x", [600, 600, 500]),
        ("top", "y", [0, 0, 0]),
        ("middle", "y", [75, 75, 50]),
        ("bottom", "y", [150, 150, 100]),
    ],
)
def test_pieces_are_laid_on_one_line(to: str, name: str, expected: list[int]) -> None:
    assert places(done(THREE, do="align", pieces=["a", "b", "c"], to=to).overlay, name) == expected


def test_one_piece_is_laid_on_the_overlays_own_lines() -> None:
    assert places(done(THREE, do="align", pieces=["c"], to="right").overlay, "x") == [0, 300, 1720]
    assert places(done(THREE, do="align", pieces=["c"], to="middle").overlay, "y") == [0, 40, 490]


def test_spaces_between_pieces_become_equal() -> None:
    # 700 wide in all, 400 of it pieces: two spaces of 150.
    assert places(done(THREE, do="distribute", pieces=["a", "b", "c"], along="x").overlay, "x") == [0, 250, 500]
    assert places(done(THREE, do="distribute", pieces=["a", "b", "c"], along="y").overlay, "y") == [0, 50, 100]
    with pytest.raises(InvalidPiece, match="Select three or more pieces to distribute"):
        done(THREE, do="distribute", pieces=["a", "b"], along="x")


@pytest.mark.parametrize(
    ("pieces", "to", "expected"),
    [
        (["a"], "front", "bca"),
        (["c"], "back", "cab"),
        (["a"], "forward", "bac"),
        (["b"], "backward", "bac"),
        (["a"], "backward", "abc"),
        (["c"], "forward", "abc"),
        (["a", "c"], "front", "bac"),
        (["a", "b"], "forward", "cab"),
    ],
)
def test_the_order_front_to_back_is_changed(pieces: list[str], to: str, expected: str) -> None:
    assert order(done(THREE, do="order", pieces=pieces, to=to).overlay) == expected


def test_a_piece_is_brought_just_in_front_of_another() -> None:
    assert order(done(THREE, do="order", pieces=["a"], before="b").overlay) == "bac"
    with pytest.raises(Gone):
        done(THREE, do="order", pieces=["a"], before="z")


def test_pieces_are_added_with_a_free_name_and_chosen() -> None:
    made = done(THREE, do="add", kind="text", set={"wording": "hi"})
    again = done(made.overlay, do="add", kind="text")
    assert (made.chosen, made.overlay.pieces[-1]["wording"], again.overlay.pieces[-1].name) == (
        ("new1",),
        "hi",
        "Text 2",
    )
    small = done(Overlay(360, 48), do="add", kind="ranking").overlay.pieces[0]
    assert small["width_px"] <= 324
    assert small["height_px"] <= 43


def test_copies_are_laid_a_little_aside_and_keep_their_group_together() -> None:
    grouped = done(THREE, do="group", pieces=["a", "b"]).overlay
    assert [piece["group"] for piece in grouped.pieces] == ["Group", "Group", ""]
    made = done(grouped, do="duplicate", pieces=["a", "b"])
    assert made.chosen == ("new1", "new2")
    assert places(made.overlay, "x", "y")[3:] == [(24, 24), (324, 64)]
    assert [piece["group"] for piece in made.overlay.pieces][3:] == ["Group 2", "Group 2"]
    free = done(grouped, do="group", pieces=["a", "b"], off=True).overlay
    assert [piece["group"] for piece in free.pieces] == ["", "", ""]
    with pytest.raises(InvalidPiece, match="Select two or more pieces to group"):
        done(THREE, do="group", pieces=["a"])


def test_what_was_copied_is_laid_on_another_overlay() -> None:
    made = done(Overlay(), do="paste", copies=edits.copied(THREE, ["b", "c"]))
    assert [piece.name for piece in made.overlay.pieces] == ["B", "C"]
    with pytest.raises(InvalidPiece, match="Nothing copied yet"):
        done(Overlay(), do="paste", copies=["nonsense", {"kind": "hologram", "id": "x"}])


def test_pieces_go_along_when_the_size_changes_and_texts_by_their_font_size() -> None:
    text = new_piece("text", "t", x=96, y=108, size_px=40, padding_px=20).changed({"x": 192, "size_px": 60}, "Talk")
    overlay = Overlay(pieces=(text, block("a", 960, 540)), guides=(("x", 960),))
    half = done(overlay, do="size", width_px=960, height_px="540", scale=True).overlay
    assert (half.width_px, half.height_px, half.guides) == (960, 540, (("x", 480),))
    assert [half.pieces[0][name] for name in ("x", "y", "size_px", "width_px")] == [48, 54, 20, 0]
    assert (half.pieces[0].style["padding_px"], half.pieces[0].in_scene("Talk")["size_px"]) == (10, 30)
    assert [half.pieces[1][name] for name in ("x", "y", "width_px", "height_px")] == [480, 270, 50, 25]
    upright = done(overlay, do="size", width_px=1080, height_px=1920, scale=True).overlay
    assert [upright.pieces[1][name] for name in ("x", "y", "width_px")] == [540, 960, 56]
    alone = done(overlay, do="size", width_px=960, height_px=540).overlay
    assert alone.pieces == overlay.pieces


@pytest.mark.parametrize(("width", "height"), [(0, 1080), (40_000, 1080), ("", 10), (1920, -5)])
def test_a_size_that_no_page_has_is_refused(width: object, height: object) -> None:
    with pytest.raises(InvalidPiece):
        done(THREE, do="size", width_px=width, height_px=height)


def test_settings_and_guides_are_checked() -> None:
    made = done(THREE, do="settings", set={"form": "light", "motion": "no", "css": ".a{}"})
    assert (made.overlay.form, made.overlay.motion, made.overlay.css) == ("light", "no", ".a{}")
    assert done(THREE, do="guides", guides=[["x", 5], ["x", 5], ["y", 9]]).overlay.guides == (("x", 5), ("y", 9))
    for edit in (
        {"do": "settings", "set": {"form": "blue"}},
        {"do": "guides", "guides": [["z", 5]]},
        {"do": "settings", "set": {"css": "a" * 20_001}},
        {"do": "guides", "guides": [[1]]},
    ):
        with pytest.raises(InvalidPiece):
            done(THREE, **edit)


@pytest.mark.parametrize(
    "edit",
    [
        {},
        {"do": "explode"},
        {"do": "change", "pieces": ["a"]},
        {"do": "change", "set": {"x": 1}},
        {"do": "add", "kind": "hat"},
        {"do": "align", "pieces": ["a"], "to": "moon"},
        {"do": "order", "pieces": ["a"], "to": "moon"},
        {"do": "place"},
        {"do": "distribute", "pieces": ["a"], "along": "z"},
        {"do": "settings", "set": {"token": "x"}},
        {"do": "guides", "guides": "none"},
        {"do": "place", "places": {"a": 5}},
    ],
)
def test_what_is_no_edit_is_refused(edit: Mapping[str, Any]) -> None:
    with pytest.raises(NotAnEdit):
        edits.apply(THREE, edit, boxed, ids())


def test_a_piece_that_is_gone_is_told() -> None:
    with pytest.raises(Gone, match="A piece was deleted in the meantime, perhaps in another window"):
        done(THREE, do="change", pieces=["z"], set={"x": 1})


def test_an_overlay_holds_a_hundred_pieces_at_most() -> None:
    full = Overlay(pieces=tuple(block(f"p{n}", n, n) for n in range(MAX_PIECES)))
    for edit in ({"do": "add", "kind": "text"}, {"do": "duplicate", "pieces": ["p1"]}):
        with pytest.raises(InvalidPiece, match="100 pieces at most"):
            done(full, **edit)


def test_an_overlay_differs_in_sixty_scenes_at_most() -> None:
    full = THREE
    for number in range(60):
        full = done(full, do="change", pieces=["a"], scene=f"Scene {number}", set={"x": number}).overlay
    with pytest.raises(InvalidPiece, match="60 scenes at most"):
        done(full, do="change", pieces=["b"], scene="One more", set={"x": 1})
    assert done(full, do="change", pieces=["b"], scene="Scene 3", set={"x": 1}).overlay.pieces[1].scenes == {
        "Scene 3": {"x": 1}
    }


def test_several_edits_are_one_and_what_others_did_to_the_same_is_told() -> None:
    made = edits.apply_all(
        THREE,
        [
            {"do": "place", "places": {"a": {"x": 7, "y": 8}}},
            {"do": "change", "pieces": ["b"], "set": {"opacity_pct": 9}},
        ],
        boxed,
        ids(),
    )
    assert made.words == "“A”: moved; “B”: opacity of the piece"
    theirs = [("“A”: across", frozenset({("a", "x")})), ("“C”: across", frozenset({("c", "x")}))]
    assert edits.conflicts(made.touched, theirs) == ["“A”: across"]


def test_a_new_piece_lies_where_there_is_room() -> None:
    wide = Overlay(1920, 1080, (block("a", 0, 0, 1920, 400), block("b", 0, 400, 900, 400)))
    made = done(wide, do="add", kind="backing")
    piece = made.overlay.pieces[-1]
    box = boxed(piece)
    assert not any(box.shared(boxed(one)) for one in wide.pieces)
    assert (piece["x"], piece["y"]) == (912, 440)
    full = Overlay(1920, 1080, (block("a", 0, 0, 1920, 1080),))
    assert done(full, do="add", kind="backing").overlay.pieces[-1]["x"] == 96
    assert done(full, do="add", kind="backing", set={"x": 7, "y": 8}).overlay.pieces[-1]["y"] == 8
