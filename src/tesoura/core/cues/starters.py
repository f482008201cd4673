"""Sentences to begin from: each is a cue but for a few things that only its maker knows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class CueStarter:
    """A sentence, what it sets, and what is still to be filled in, by the names of fields."""

    words: str
    choices: Mapping[str, str]
    asks: tuple[str, ...]


_GIFT = {"when": "event", "event": "gift", "field_1": "amount", "how_1": "at least"}
STARTERS: tuple[CueStarter, ...] = (
    CueStarter(
        "When a gift of 5 spools or more arrives, switch to a scene for 6 s and back",
        {"title": "Gift scene", **_GIFT, "value_1": "5", "do_1": "scene", "for_1": "6", "rests": "2 min"},
        ("scene_1",),
    ),
    CueStarter(
        "When a big gift arrives, play a sound on an overlay",
        {
            "title": "Gift sound",
            **_GIFT,
            "value_1": "20",
            "do_1": "sound_on",
            "sound_1": "chimes",
            "rests": "10 s",
            "may_wait": "3",
        },
        ("overlay_1",),
    ),
    CueStarter(
        "When somebody follows, remember the name",
        {
            "title": "Newest follower",
            "when": "event",
            "event": "follow",
            "do_1": "set",
            "signal_1": "script.newest_follower",
            "value_of_1": "{event.name}",
        },
        (),
    ),
    CueStarter(
        "When the cut streak reaches 4, play a sound, once per streak",
        {
            "title": "Streak of four",
            "when": "crosses",
            "signal": "game.match.streak",
            "level": "4",
            "back": "1",
            "do_1": "sound_on",
            "sound_1": "gong",
        },
        ("signal", "overlay_1"),
    ),
    CueStarter(
        "When a match ends, switch to the scene for talking",
        {"title": "After the match", "when": "event", "event": "match.end", "do_1": "scene", "after_1": "8"},
        ("scene_1",),
    ),
    CueStarter(
        "When the scene changes to the break, start the break countdown",
        {"title": "Break begins", "when": "scene", "do_1": "command", "command_1": "restart", "rests": "5 min"},
        ("to_scene", "instrument_1"),
    ),
    CueStarter(
        "When a moderator says !break, start the break countdown",
        {
            "title": "Break by chat",
            "when": "chat",
            "word": "!break",
            "who": "moderators",
            "do_1": "command",
            "command_1": "start",
            "rests": "5 min",
        },
        ("instrument_1",),
    ),
    CueStarter(
        "When somebody says !tea, ring a bell; per-person cooldown 10 min",
        {
            "title": "Tea bell",
            "when": "chat",
            "word": "!tea",
            "do_1": "sound_on",
            "sound_1": "bell",
            "rests": "30 s",
            "person_rests": "10 min",
        },
        ("overlay_1",),
    ),
    CueStarter(
        "Ten minutes before the next show, switch to the starting scene",
        {"title": "Soon on", "when": "before", "signal": "shows.starts_at", "before_min": "10", "do_1": "scene"},
        ("signal", "scene_1"),
    ),
    CueStarter(
        "At 20:00 on Thursdays, start a countdown of five minutes",
        {
            "title": "Thursday at eight",
            "when": "times",
            "times": "20:00",
            "days": "3",
            "do_1": "command",
            "command_1": "start",
            "with_1": "length 5 min",
        },
        ("instrument_1",),
    ),
    CueStarter(
        "Every 30 minutes, while a session runs, call the lamp",
        {"title": "Half an hour", "when": "every", "every_min": "30", "if_session": "yes", "do_1": "call"},
        ("address_1",),
    ),
    CueStarter(
        "When a feed goes down, ring a bell for me",
        {"title": "A feed is down", "when": "feed", "do_1": "sound_on", "sound_1": "wood", "rests": "1 min"},
        ("feed", "overlay_1"),
    ),
    CueStarter(
        "When the count of kite friends has not changed for an hour, call an address",
        {"title": "Quiet hour", "when": "still", "still_for": "1 h", "do_1": "call"},
        ("signal", "address_1"),
    ),
    CueStarter(
        "When the count of kite friends reaches 10,000, play the gong once",
        {
            "title": "Ten thousand",
            "when": "crosses",
            "level": "10000",
            "do_1": "sound_on",
            "sound_1": "gong",
            "rests": "1 d",
        },
        ("signal", "overlay_1"),
    ),
    CueStarter(
        "When a stream session starts, reset the counter to 0",
        {"title": "A fresh start", "when": "session", "do_1": "set", "value_of_1": "0"},
        ("signal_1",),
    ),
    CueStarter(
        "When I press it, switch to a scene for 20 s and back, then press another cue",
        {
            "title": "A word in between",
            "when": "press",
            "do_1": "scene",
            "for_1": "20",
            "do_2": "press",
            "after_2": "20",
        },
        ("scene_1", "cue_2"),
    ),
)
