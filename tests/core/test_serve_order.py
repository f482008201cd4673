"""Who serves in doubles, worked out by hand for each way in which players take turns."""

from __future__ import annotations

from tesoura.core.sports.rally import AWAY, HOME, RallyMatch
from tesoura.core.sports.serve_order import ServeOrder
from tesoura.core.sports.tables import RALLY_SPORTS

NAMES = ("ab", "xy", "ABCDEF", "UVWXYZ")


def told(sport: str, points: str, players: tuple[int, int] = (2, 2)) -> tuple[RallyMatch, ServeOrder, str]:
    """The match after these points (`h` and `a`), and who served before each and serves after the last.

    The two of home are a and b, those of away x and y; of six, capitals.
    """
    match = RallyMatch.begun(RALLY_SPORTS[sport])
    order = ServeOrder.begun(match.sport.order, players, HOME)
    names = NAMES[2:] if max(players) > 2 else NAMES[:2]
    served = ""
    for one in points:
        side, place = order.server(match)
        served += names[side][place]
        after = match.point(HOME if one == "h" else AWAY)
        order, match = order.moved(match, after, HOME if one == "h" else AWAY), after
    side, place = order.server(match)
    return match, order, served + names[side][place]


def test_in_table_tennis_each_serves_to_who_serves_next() -> None:
    # Two each: a to x, x to b, b to y, y to a; whatever the points.
    assert told("table_tennis", "hahahahah")[2] == "aaxxbbyyaa"
    # At ten all each has served twice but b and y, whose turn it is; from there each serves once.
    assert told("table_tennis", "ha" * 10 + "ha")[2][20:] == "bya"


def test_in_the_next_game_of_table_tennis_he_serves_to_who_served_to_him() -> None:
    # Away begins the second game with x; in the first a served to x, so x serves to a, a to y, y to b.
    match, order, served = told("table_tennis", "h" * 11 + "hahaha")
    assert (served[11:17], match.server) == ("xxaayy", HOME)
    assert order.receiver() == (AWAY, 0)


def test_in_the_deciding_game_the_receivers_change_when_a_pair_has_five() -> None:
    games = "h" * 11 + "a" * 11 + "h" * 11 + "a" * 11
    # The fifth begins as the first: a, x, b, y by twos. At 4–2 it is y's turn, and he serves to a.
    match, order, _ = told("table_tennis", games + "hahahh")
    assert (match.counts[0], order.server(match), order.receiver()) == ((4, 2), (AWAY, 1), (HOME, 0))
    # At 5–2 ends are changed, and y serves to b instead; after that b serves to x.
    match, order, _ = told("table_tennis", games + "hahahhh")
    assert (match.told, order.server(match), order.receiver()) == (("ends",), (AWAY, 1), (HOME, 1))
    match, order, _ = told("table_tennis", games + "hahahhhh")
    assert (order.server(match), order.receiver()) == ((HOME, 1), (AWAY, 0))


def test_in_tennis_the_four_take_turns_by_games_and_in_a_tie_break_point_by_point() -> None:
    games = "hhhh" + "aaaa"
    served = told("tennis", games * 2)[2]
    assert served[::4] == "axbya"
    # Six all: twelve games, so a begins the tie-break; x serves two, b two, y two.
    tied = told("tennis", games * 6 + "hahahah")[2]
    assert tied[48:] == "axxbbyya"
    # Who received first begins the next set: x, whose turn it is after a.
    assert told("tennis", games * 6 + "hhhhhhh")[2][-1] == "x"


def test_in_badminton_the_score_tells_who_serves() -> None:
    # a serves from the right at 0; he goes on from the left at 1 and from the right at 2.
    assert told("badminton", "hh")[2] == "aaa"
    # Away wins the service with 1, which is odd: y, who stands on the left, serves. Nobody of them has moved.
    assert told("badminton", "hha")[2][-1] == "y"
    # Home wins it back with 3, odd: after two points of their own a is on the right again, b on the left.
    assert told("badminton", "hhah")[2][-1] == "b"


def test_a_volleyball_side_rotates_when_it_wins_the_service() -> None:
    # A serves first; when away wins the service its second serves; home comes back with its second.
    assert told("volleyball", "haahah", (6, 6))[2] == "AAVVBWC"


def test_beach_players_serve_by_turns() -> None:
    assert told("beach_volleyball", "ahah")[2] == "axbya"


def test_who_is_alone_always_serves() -> None:
    assert told("table_tennis", "haha", (1, 1))[2] == "aaxxa"
