"""The demo's overlays: the cup's evening, a bar, a strip, a card and a vertical one, each in another look."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from importlib.resources import files
from typing import Any

from sqlmodel import Session

from tesoura.core.instruments.now_playing.piece import SIZED
from tesoura.core.instruments.scoreboard.piece import ARRANGEMENTS as BOARDS
from tesoura.core.instruments.scoreboard.piece import SIZED as BOARD_SIZES
from tesoura.core.instruments.wheel.piece import SIZED as WHEEL_SIZES
from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.demo import runs
from tesoura.store import media
from tesoura.store import overlays as stored
from tesoura.store.store import Store
from tesoura.store.tables import MediaRow
from tesoura.uploads.files import checked

MARKS = (
    ("cordel_tea.svg", "Cordel Tea"),
    ("northshed.svg", "Northshed Bicycles"),
    ("halfmoon.svg", "Halfmoon Batteries"),
    ("gluepot.svg", "Gluepot & Daughters"),
    ("windy_ladder.svg", "The Windy Ladder"),
)
FRIENDS = "{reach.members:,} kite friends"


def keep_marks(session: Session, store: Store, now: datetime) -> dict[str, str]:
    """Add the sponsors' marks; each one's name among the files."""
    kept = {}
    for file, title in MARKS:
        added = checked("picture", files("tesoura.demo").joinpath("pictures", file).read_bytes())
        name = media.fingerprint(added.data, added.ending)
        media.put_file(store.folder, name, added.data)
        row = MediaRow(
            name=name,
            kind="picture",
            title=title,
            type=added.type,
            width_px=added.width_px,
            height_px=added.height_px,
            size=len(added.data),
            facts={},
            added_at=now,
        )
        media.keep(session, row)
        kept[title] = name
    return kept


def _evening(marks: dict[str, str]) -> tuple[Piece, ...]:
    count = new_piece(
        "text",
        "count",
        name="Kite friends",
        wording=FRIENDS,
        nothing_yet="— kite friends",
        look="ink",
        x=96,
        y=912,
        size_px=58,
        grow_digits=1,
    )
    cuts = new_piece(
        "slots",
        "cuts",
        name="Cuts and losses",
        look="gust",
        x=1124,
        y=64,
        width_px=700,
        height_px=148,
        size_px=58,
        count=3,
        label_1="Cuts",
        value_1="{game.session_kills}",
        icon_1="scissors",
        label_2="Lost",
        value_2="{game.session_deaths}",
        icon_2="kite",
        label_3="A line",
        value_3="{game.session_kd:.1f}",
        icon_3="none",
        nothing_yet="0",
    )
    song = new_piece(
        "song_card",
        "song",
        name="Song",
        now_playing="song",
        look="ink",
        coloured="cover",
        x=1304,
        y=884,
        width_px=520,
        height_px=132,
        size_px=30,
    )
    top = new_piece(
        "ranking",
        "top",
        name="Top givers",
        look="paper_tag",
        x=96,
        y=64,
        width_px=590,
        height_px=244,
        size_px=32,
        ranking="gifts_session",
        rows=3,
        title="Spools tonight",
    )
    gift = new_piece(
        "text",
        "gift",
        name="Gift",
        wording="{gift.name} gives {gift.amount} {plural(gift.amount, 'spool', 'spools')}",
        nothing_yet="",
        look="kite_paper",
        x=960,
        y=316,
        size_px=48,
        grow_toward="both",
        grow_digits=1,
        appears="moment",
        moment_type="gift",
        moment_s=5,
    )
    mark = new_piece(
        "picture",
        "mark",
        name="Cordel Tea",
        media=marks["Cordel Tea"],
        says="Cordel Tea",
        x=820,
        y=892,
        width_px=280,
        height_px=100,
    )
    kettle = new_piece(
        "countdown",
        "kettle",
        name="Kettle break",
        look="lantern",
        countdown="kettle_break",
        x=96,
        y=420,
        width_px=620,
        height_px=130,
        size_px=56,
        bar="empties",
        align="left",
    )
    again = (
        new_piece(
            "replay",
            "again",
            name="Replay",
            replays="again",
            look="ink",
            x=96,
            y=336,
            width_px=600,
            height_px=384,
            size_px=30,
        )
        .changed({"shown": "no"}, "Break")
        .changed({"shown": "no"}, "Wheel")
    )
    kettle = kettle.changed({"shown": "no"}, "Play").changed(
        {"x": 545, "y": 460, "width_px": 830, "height_px": 180, "size_px": 76}, "Break"
    )
    gift = gift.changed({"y": 700}, "Break")
    cuts = cuts.changed({"shown": "no"}, "Talk").changed({"shown": "no"}, "Break")
    song = song.changed({"x": 1124, "y": 830, "width_px": 700, "height_px": 186, "size_px": 44}, "Talk")
    song = song.changed({"look": "lantern"}, "Break")
    count = count.changed({"x": 96, "y": 740, "size_px": 96}, "Talk")
    mark = mark.changed({"x": 96, "y": 912}, "Talk")
    top = top.changed({"width_px": 820, "height_px": 330, "size_px": 46}, "Break")
    return count, mark, cuts, song, top, kettle, again, gift


def _road() -> tuple[Piece, ...]:
    return (
        new_piece(
            "bar",
            "road",
            name="Road to 2,000",
            look="harbour",
            x=0,
            y=0,
            width_px=1200,
            height_px=96,
            size_px=36,
            value="reach.members",
            low="1000",
            high="2000",
            label="Road to 2,000",
            figure=FRIENDS,
        ),
    )


def _strip() -> tuple[Piece, ...]:
    return (
        new_piece(
            "text",
            "score",
            name="Cup score",
            look="balloon",
            wording="Bobbin {score.bobbin} : {score.keel} Keel",
            nothing_yet="Bobbin 0 : 0 Keel",
            x=8,
            y=6,
            size_px=28,
            grow_digits=0,
            padding_px=18,
        ),
    )


def _card() -> tuple[Piece, ...]:
    return (
        new_piece("backing", "card", name="Card", look="broadsheet", x=0, y=0, width_px=640, height_px=400),
        new_piece(
            "text",
            "title",
            name="Title",
            look="broadsheet",
            wording="The Windy Ladder",
            x=40,
            y=28,
            size_px=48,
            backing="none",
            padding_px=0,
            edge_px=0,
            grow_digits=0,
        ),
        new_piece(
            "latest",
            "latest",
            name="Latest gifts",
            look="broadsheet",
            type="gift",
            rows=3,
            x=40,
            y=104,
            width_px=350,
            height_px=180,
            size_px=22,
            backing="none",
            padding_px=0,
        ),
        new_piece(
            "ring",
            "ring",
            name="Road",
            look="broadsheet",
            x=410,
            y=104,
            width_px=190,
            height_px=190,
            size_px=30,
            value="reach.members",
            low="1000",
            high="2000",
            figure="{road.pct:.0f} %",
            backing="none",
            edge_px=0,
            padding_px=0,
        ),
        new_piece(
            "chart",
            "growth",
            name="Growth",
            look="broadsheet",
            signal="reach.members",
            x=40,
            y=296,
            width_px=560,
            height_px=84,
            size_px=24,
            label="Kite friends",
            figure="{reach.members:,}",
            backing="none",
            padding_px=0,
            edge_px=0,
        ),
    )


def _vertical() -> tuple[Piece, ...]:
    return (
        new_piece(
            "text",
            "show",
            name="Show",
            look="marquee",
            wording="The Windy Ladder",
            x=540,
            y=170,
            size_px=76,
            grow_toward="both",
            grow_digits=0,
        ),
        new_piece(
            "text",
            "friends",
            name="Kite friends",
            look="lantern",
            wording=FRIENDS,
            x=540,
            y=1500,
            size_px=62,
            grow_toward="both",
        ),
        new_piece(
            "slots",
            "block",
            name="Tonight",
            look="lantern",
            x=100,
            y=1620,
            width_px=880,
            height_px=190,
            size_px=70,
            count=3,
            label_1="Cuts",
            value_1="{game.session_kills}",
            label_2="Lost",
            value_2="{game.session_deaths}",
            label_3="Spools",
            value_3="{gifts_session.sum}",
            icon_3="spool",
            nothing_yet="0",
        ),
    )


def _songs() -> tuple[Piece, ...]:
    """The song card in each of its arrangements."""
    placed: dict[str, tuple[int, int, dict[str, Any]]] = {
        "poster": (120, 410, {"coloured": "cover", "behind": "yes", "album": "yes", "next": "yes", "time": "both"}),
        "strip": (120, 80, {"time": "left", "width_px": 620, "height_px": 80, "size_px": 30}),
        "plate": (120, 200, {"time": "both", "look": "gust", "width_px": 620, "height_px": 150}),
        "band": (120, 890, {"coloured": "cover", "cover": "round", "time": "left"}),
        "stamp": (1500, 80, {"coloured": "cover", "width_px": 300, "height_px": 300, "size_px": 30}),
        "tower": (
            1460,
            440,
            {
                "cover": "turning",
                "progress": "ring",
                "next": "yes",
                "look": "lantern",
                "width_px": 340,
                "height_px": 470,
                "size_px": 30,
            },
        ),
    }
    given = {"now_playing": "song", "look": "ink"}
    return tuple(
        new_piece(
            "song_card",
            name,
            **{**given, "name": name.capitalize(), "arranged": name, "x": x, "y": y, **SIZED[name], **more},
        )
        for name, (x, y, more) in placed.items()
    )


def _boards() -> tuple[Piece, ...]:
    """The break final in the seven arrangements of a scoreboard, each where it belongs."""
    placed: dict[str, tuple[int, int, dict[str, Any]]] = {
        "corner": (96, 64, {"look": "ink"}),
        "bar": (360, 64, {"look": "ink"}),
        "tall": (1624, 64, {"look": "lantern"}),
        "lower": (260, 836, {"look": "ink", "notices": "above"}),
        "break": (460, 300, {"look": "broadsheet"}),
        "card": (410, 200, {"look": "broadsheet"}),
        "clock": (1564, 560, {"look": "ink"}),
    }
    found = []
    for name, (x, y, more) in placed.items():
        shown = {"hidden": "yes"} if name in ("bar", "clock") else {}
        given = {
            "name": BOARDS[name].words.partition(":")[0].capitalize(),
            "scoreboard": "break_final",
            "arranged": name,
            "x": x,
            "y": y,
            **BOARD_SIZES[name],
            **more,
            **shown,
        }
        found.append(new_piece("scoreboard", name, **given))
    return tuple(found)


def _wheels() -> tuple[Piece, ...]:
    """The wheel of tea as a plate; its other looks are hidden in the draft."""
    found = []
    for name, x, y, look in (("plate", 540, 90, "ink"), ("ring", 960, 90, "lantern"), ("drop", 60, 600, "ink")):
        given = {
            "name": f"Wheel, {name}",
            "wheel": "tea_wheel",
            "arranged": name,
            "x": x,
            "y": y,
            "look": look,
            "hidden": "no" if name == "plate" else "yes",
            **WHEEL_SIZES[name],
        }
        found.append(new_piece("wheel", name, **given))
    return tuple(found)


def _game(picture: str) -> tuple[Piece, ...]:
    stats = {"statistics": "game"}
    block = new_piece(
        "slots",
        "block",
        name="In a block",
        look="gust",
        x=96,
        y=64,
        width_px=450,
        height_px=270,
        size_px=50,
        count=4,
        arranged="block",
        nothing_yet="—",
        **_slots(
            ("Kills", "session_kills", "scissors"),
            ("Deaths", "session_deaths", "kite"),
            ("K/D", "session_kd:.2f", "none"),
            ("Streak", "session_streak", "bolt"),
        ),
    )
    bar = new_piece(
        "slots",
        "bar",
        name="In a bar",
        look="ink",
        x=340,
        y=900,
        width_px=1140,
        height_px=120,
        size_px=50,
        count=5,
        nothing_yet="—",
        **_slots(
            ("Cuts", "match_kills", "scissors"),
            ("Lost", "match_deaths", "kite"),
            ("Tangles", "match_assists", "people"),
            ("A minute", "match_per_minute:.1f", "clock"),
            ("Place", "match_rank", "flag"),
        ),
    )
    column = new_piece(
        "slots",
        "column",
        name="In a column",
        look="lantern",
        x=1424,
        y=64,
        width_px=400,
        height_px=400,
        size_px=50,
        count=5,
        arranged="column",
        nothing_yet="—",
        **_slots(
            ("Wins", "session_wins", "cup"),
            ("Losses", "session_losses", "none"),
            ("In a row", "session_win_run", "flag"),
            ("Rating", "session_rating_change:signed", "up"),
            ("Win rate", "session_win_rate_pct:.0f", "none"),
        ),
    )
    vitals = new_piece(
        "vitals", "vitals", name="Vitals", look="harbour", x=96, y=720, width_px=380, height_px=150, size_px=28, **stats
    )
    place = new_piece(
        "map",
        "map",
        name="Map",
        look="ink",
        map="ladder_map",
        media=picture,
        x=1494,
        y=700,
        width_px=330,
        height_px=236,
    )
    card = new_piece(
        "match_card",
        "card",
        name="Match-end card",
        look="broadsheet",
        x=566,
        y=110,
        width_px=838,
        height_px=680,
        size_px=50,
        figure_6="none",
        figure_5="none",
        **stats,
    )
    return block, bar, column, vitals, place, card


def _sponsors() -> tuple[Piece, ...]:
    turns = new_piece(
        "sponsor",
        "turns",
        name="Sponsors",
        rotation="sponsors",
        look="ink",
        x=1404,
        y=846,
        width_px=420,
        height_px=168,
        room_pct=6,
    )
    card = new_piece(
        "read_card",
        "card",
        name="Card of the tea",
        campaign="cordel_tea",
        look="paper_tag",
        x=560,
        y=824,
        width_px=800,
        height_px=190,
        size_px=52,
    )
    return turns, card


def _slots(*slots: tuple[str, str, str]) -> dict[str, str]:
    made: dict[str, str] = {}
    for at, (label, value, icon) in enumerate(slots, 1):
        made |= {f"label_{at}": label, f"icon_{at}": icon}
        made[f"value_{at}"] = f"{{game.{value}}}" + (" %" if "_pct" in value else "")
    return made


def put(session: Session, marks: dict[str, str], now: datetime) -> None:
    """Make the demo's overlays and put them on air."""
    made = (
        ("Cup evening", Overlay(pieces=_evening(marks))),
        ("Road to 2,000", Overlay(1200, 96, _road())),
        ("Cup score", Overlay(360, 96, _strip())),
        ("Between matches", Overlay(640, 400, _card(), form="light")),
        ("On the phone", Overlay(1080, 1920, _vertical(), scenery="lanterns")),
        ("The match", Overlay(pieces=_game(marks["The Windy Ladder"]))),
        ("Song cards", Overlay(pieces=_songs())),
        ("Break final", Overlay(pieces=_boards())),
        ("Wheel of tea", Overlay(pieces=_wheels())),
        ("Sponsors", Overlay(pieces=_sponsors())),
        ("The Lantern Mile", Overlay(pieces=runs.pieces(), scenery="lanterns")),
    )
    for title, overlay in made:
        decided = tuple(one.changed({"when_old": "dim"}) for one in overlay.pieces)
        row = stored.new_overlay(session, title, replace(overlay, pieces=decided), now)
        stored.publish(session, row, now, "this machine")
