"""The demo's instruments, and the commands with which its evening begins."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.desk.buttons import button_of
from tesoura.core.desk.leaves import Leaves
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.runtime.desk_leaves import KEPT as DESK_LEAVES
from tesoura.store import computed as stored
from tesoura.store import state

INSTRUMENTS: tuple[tuple[str, str, dict[str, Any]], ...] = (
    (
        "countdown",
        "kettle_break",
        {
            "title": "Kettle break",
            "length": "8 min",
            "leading": "no",
            "before": "Back in ",
            "last_minute": "Nearly there: {left}",
            "tenths": "yes",
            "end_words": "Kettle's on, in we go",
            "end_s": "12",
            "end_sound": "chimes",
            "mark_1": "1 min",
            "sound_1": "wood",
        },
    ),
    ("countdown", "cup_clock", {"title": "Clock", "counts": "clock", "clock": "24"}),
    (
        "countdown",
        "next_cup",
        {
            "title": "Next cup evening",
            "counts": "event",
            "signal": "shows.starts_at",
            "before": "Next cup in ",
            "end_words": "The cup is on",
        },
    ),
    (
        "statistics",
        "game",
        {"title": "Game statistics", "player": "mara_vane", "without_tags": "gust bonus", "last": "12"},
    ),
    ("map", "ladder_map", {"title": "Map", "player": "mara_vane", "b_x": "840", "b_y": "600"}),
    ("now_playing", "song", {"title": "Now playing", "change_in": "Wheel"}),
    ("scoreboard", "break_final", {"title": "Break final", "sport": "table_tennis", "final": "yes"}),
    (
        "wheel",
        "tea_wheel",
        {
            "title": "Wheel of tea",
            "scene": "Wheel",
            "chat": "chat",
            "word": "!spin",
            "when_1": "subscription",
            "when_2": "gift",
            "amount_2": "amount",
            "each_2": "50",
        },
    ),
    (
        "replay",
        "again",
        {
            "title": "Replays",
            "counted_by": "game",
            "kills": "2",
            "within_s": "9",
            "source": "picture",
            "before_s": "3",
            "after_s": "2",
            "closer_pct": "160",
            "closer_field": "means",
            "closer_how": "is",
            "closer_value": "high swoop",
            "x_pct": "50",
            "y_pct": "45",
            "game_scenes": "Play",
            "sound_from": "4",
            "never_with": "Wheel of tea / Wheel, plate",
        },
    ),
    (
        "campaign",
        "cordel_tea",
        {
            "title": "Cordel Tea, autumn",
            "sponsor": "Cordel Tea",
            "an_hour": "20",
            "minutes": "15",
            "reads": "2",
            "points": "Cordel Tea keeps the pier warm\nThe ladder blend is picked on the north slope\n"
            "A tenth off with the word LADDER\nThe link is in chat now",
            "card": "A tenth off with LADDER",
            "link": "https://cordel.example/ladder",
            "code": "LADDER",
            "chat": "chat",
            "line": "{sponsor}: {link}, a tenth off with {code}",
            "pause_s": "120",
        },
    ),
    (
        "campaign",
        "halfmoon",
        {
            "title": "Halfmoon Batteries",
            "sponsor": "Halfmoon Batteries",
            "minutes": "10",
            "apart": "Gluepot & Daughters",
        },
    ),
    ("campaign", "gluepot", {"title": "Gluepot & Daughters", "sponsor": "Gluepot & Daughters", "minutes": "5"}),
    (
        "campaign",
        "northshed",
        {"title": "Northshed Bicycles", "sponsor": "Northshed Bicycles", "minutes": "5", "test": "yes"},
    ),
    (
        "rotation",
        "sponsors",
        {"title": "Sponsors", "hidden_s": "150", "shown_s": "60", "never_with": "Wheel of tea / Wheel, plate"},
    ),
    ("run", "lantern_mile", {"title": "The Lantern Mile", "game": "The Lantern Mile"}),
    (
        "cue",
        "big_gift",
        {
            "title": "A big gift",
            "group": "Gifts",
            "when": "event",
            "event": "gift",
            "field_1": "amount",
            "how_1": "at least",
            "value_1": "8",
            "do_1": "sound_on",
            "sound_1": "bell",
            "overlay_1": "Cup evening",
            "do_2": "set",
            "after_2": "1",
            "signal_2": "script.thanks",
            "value_of_2": "{event.name}",
            "rests": "30 s",
            "may_wait": "2",
        },
    ),
    (
        "cue",
        "what_song",
        {
            "title": "What song is it",
            "group": "Chat",
            "when": "chat",
            "word": "!song",
            "do_1": "say",
            "chat_1": "chat",
            "line_1": "{event.name}: it is {song.title} by {song.artists}",
            "do_2": "command",
            "instrument_2": "song",
            "command_2": "show",
            "rests": "15 s",
            "person_rests": "2 min",
        },
    ),
    (
        "cue",
        "kettle_goes_on",
        {
            "title": "The kettle goes on",
            "group": "Breaks",
            "when": "scene",
            "to_scene": "Break",
            "do_1": "command",
            "instrument_1": "kettle_break",
            "command_1": "restart",
            "if_session": "yes",
            "rests": "5 min",
        },
    ),
    (
        "cue",
        "a_word_in_between",
        {
            "title": "A word in between",
            "group": "Breaks",
            "when": "press",
            "do_1": "scene",
            "scene_1": "Talk",
            "for_1": "20",
        },
    ),
)
LEAVES = (
    (
        "Play",
        (
            {"does": "scene", "scene": "Play", "colour": "mat"},
            {"does": "scene", "scene": "Talk", "colour": "mat"},
            {"does": "scene", "scene": "Break", "colour": "mat"},
            {"does": "piece", "part": "Cup evening / Song", "words": "The song"},
            {"does": "cue", "cue": "big_gift", "words": "Gift bell", "colour": "amber"},
            {"does": "step", "hand": "losses", "by": "1", "words": "A line lost", "colour": "ink"},
            {"does": "step", "hand": "losses", "by": "-1", "words": "One line less"},
            {"does": "undo", "words": "Undo last action"},
            {
                "does": "say",
                "chat": "chat",
                "line": "Good evening from the pier",
                "words": "Say good evening",
                "size": "wide",
            },
        ),
    ),
    (
        "Break",
        (
            {
                "does": "command",
                "instrument": "kettle_break",
                "command": "start",
                "words": "Start the break",
                "colour": "amber",
            },
            {
                "does": "command",
                "instrument": "kettle_break",
                "command": "add",
                "with": "by 3 min",
                "words": "3 minutes more",
            },
            {"does": "command", "instrument": "kettle_break", "command": "pause", "words": "Pause it"},
            {"does": "cue", "cue": "a_word_in_between", "words": "A word in between"},
            {
                "does": "say",
                "chat": "chat",
                "line": "Kettle's on, back in a few minutes",
                "words": "Say: kettle's on",
                "size": "wide",
            },
        ),
    ),
    (
        "Run",
        (
            {"does": "command", "instrument": "lantern_mile", "command": "hit", "words": "Hit", "colour": "thread"},
            {"does": "command", "instrument": "lantern_mile", "command": "way_hit", "words": "Hit outside a fight"},
            {
                "does": "command",
                "instrument": "lantern_mile",
                "command": "next",
                "words": "Next split",
                "size": "wide",
                "colour": "mat",
            },
            {"does": "command", "instrument": "lantern_mile", "command": "undo", "words": "Undo last press"},
            {"does": "command", "instrument": "lantern_mile", "command": "previous", "words": "Previous split"},
            {"does": "command", "instrument": "lantern_mile", "command": "pause", "words": "Pause or resume"},
            {"does": "command", "instrument": "lantern_mile", "command": "start_over", "words": "Start over"},
        ),
    ),
    (
        "Match",
        (
            {"does": "side", "board": "break_final", "side": "home"},
            {"does": "back", "board": "break_final", "size": "wide"},
            {"does": "side", "board": "break_final", "side": "away"},
            {"does": "command", "instrument": "break_final", "command": "swap_ends", "words": "Change ends"},
            {"does": "command", "instrument": "break_final", "command": "end_notice", "words": "Remove notice"},
        ),
    ),
)
"""The leaves of buttons that lie on the demo's desk."""
RALLIES = "hhahahhaahhhahhahaaahahaahahaaahaahahhahaahhah"
"""The break final so far, rally by rally: h for Team Bobbin, a for Team Keel."""
SIDES: tuple[dict[str, Any], ...] = (
    {
        "side": "home",
        "name": "Team Bobbin",
        "short": "BOB",
        "colour": "#2F6B5E",
        "players": "wren_bobbin, tuck",
        "country": "Northshed",
    },
    {
        "side": "away",
        "name": "Team Keel",
        "short": "KEE",
        "colour": "#C23A22",
        "players": "otto_knot, pip_gale",
        "country": "The Pier",
    },
)
TEA = (
    ("one lap backwards", "1"),
    ("sing the score", "1"),
    ("swap kites with the rival", "1"),
    ("a biscuit for the cameraman", "1"),
    ("hands off for 20 s", "1"),
    ("the cold kettle", "0.3"),
    ("play with the other hand", "1"),
    ("a verse for the pier", "1"),
    ("compliment the rival", "1"),
    ("tea for everybody", "1"),
)
COMMANDS: tuple[tuple[str, str, dict[str, Any]], ...] = (
    ("kettle_break", "start", {}),
    ("tea_wheel", "seal", {}),
    *(("tea_wheel", "add_item", {"words": words, "weight": weight}) for words, weight in TEA),
    *(
        ("tea_wheel", "owe", {"who": who, "spins": spins})
        for who, spins in (("teacup_ana", 2), ("bolt_uncle", 1), ("gull_on_a_post", 1))
    ),
    *(("break_final", "side", one) for one in SIDES),
    ("break_final", "heading", {"heading": "Break final"}),
    ("break_final", "put_on_air", {}),
    ("break_final", "add_item", {"name": "Team Gale", "short": "GAL", "colour": "#8A5A00", "players": "june_spool"}),
    *(("break_final", "point", {"side": "home" if one == "h" else "away"}) for one in RALLIES),
)


def put(session: Session, now: datetime, marks: Mapping[str, str]) -> None:
    """Set the demo's instruments up; `marks` are the pictures there are, by their titles."""
    for kind, name, plain in INSTRUMENTS:
        given = dict(plain)
        if kind == "map":
            given["picture"] = marks["The Windy Ladder"]
        elif kind == "campaign":
            given["mark"] = marks[given["sponsor"]]
        stored.keep(session, None, kind, name, fill(KINDS[kind].fields, given).choices, now)
    leaves = Leaves()
    for title, buttons in LEAVES:
        leaves = leaves.with_leaf(title)
        for typed in buttons:
            leaves, _ = leaves.laid(leaves.leaves[-1].id, button_of("new", typed))
    state.choose(session, DESK_LEAVES, json.dumps(leaves.saved(), ensure_ascii=False))
