"""Who has shown or hidden a piece: the newest claim holds, and each is taken back alone."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.overlays.claims import MOST, Claims

GIFT = "1/gift"


def test_a_piece_is_as_it_is_made_until_somebody_says_otherwise() -> None:
    assert Claims().shown(GIFT, False) is False
    assert Claims().settled(GIFT, True).shown(GIFT, False) is True


def test_of_two_that_show_a_piece_the_first_to_end_does_not_hide_it() -> None:
    both = Claims().claimed("first", GIFT, True).claimed("second", GIFT, True)
    assert both.released("first").shown(GIFT, False)
    assert not both.released("first").released("second").shown(GIFT, False)
    assert both.released("second").shown(GIFT, False)


def test_the_newest_of_show_and_hide_holds_and_the_one_before_comes_back() -> None:
    claims = Claims().claimed("show", GIFT, True).claimed("hide", GIFT, False)
    assert not claims.shown(GIFT, False)
    assert claims.released("hide").shown(GIFT, False)


def test_what_is_told_for_good_ends_the_claims_for_a_time() -> None:
    claims = Claims().claimed("show", GIFT, True).settled(GIFT, False)
    assert claims.held == ()
    assert claims.released("show").shown(GIFT, True) is False


def test_pieces_that_are_gone_are_forgotten() -> None:
    claims = Claims().settled(GIFT, True).claimed("show", "2/song", True).only({"2/song"})
    assert (dict(claims.told), [key for _, key, _ in claims.held]) == ({}, ["2/song"])


def test_of_endless_claims_the_oldest_are_let_go() -> None:
    claims = Claims()
    for number in range(MOST + 5):
        claims = claims.claimed(str(number), GIFT, True)
    assert len(claims.held) == MOST
    assert claims.held[0][0] == "5"


MOVES = st.lists(
    st.tuples(
        st.sampled_from(["claim", "release", "settle"]),
        st.sampled_from("abc"),
        st.sampled_from(["1/x", "1/y"]),
        st.booleans(),
    ),
    max_size=40,
)


@given(MOVES)
def test_whatever_is_told_in_whatever_order_a_piece_is_as_the_last_that_stands_says(moves: list) -> None:  # type: ignore[type-arg]
    claims = Claims()
    stands: dict[str, list[tuple[str, bool]]] = {"1/x": [("", False)], "1/y": [("", False)]}
    for what, name, key, shown in moves:
        if what == "claim":
            claims = claims.claimed(name, key, shown)
            stands[key] = [one for one in stands[key] if one[0] != name] + [(name, shown)]
        elif what == "release":
            claims = claims.released(name)
            stands = {its: [one for one in of if one[0] != name] for its, of in stands.items()}
        else:
            claims = claims.settled(key, shown)
            stands[key] = [("", shown)]
    for key, of in stands.items():
        assert claims.shown(key, False) is of[-1][1]
