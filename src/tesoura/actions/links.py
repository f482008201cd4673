"""Links and what is on air: a line in chat, what a scene is called here, a piece shown or hidden."""

from __future__ import annotations

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field


async def _say(doing: Doing, given: Given) -> Done:
    chats = dict(doing.runtime.feeds.titles("irc"))
    name = given["chat"].lower() or next(iter(chats), "")
    if name not in chats:
        raise one_of_these("chat", name, list(chats))
    return Done(f"It was {await doing.runtime.talking.say_in(name, given['line'])}.")


async def _foresee_say(doing: Doing, given: Given) -> str:
    link = doing.runtime.links.link(given["chat"])
    wait_s = float(link.standing().get("wait_s", 0.0)) if link else 0.0
    if link is None:
        return "the chat is not connected: the message would be queued"
    return f"would be sent in {wait_s:.0f} s" if wait_s else "would be sent now"


async def _show(doing: Doing, given: Given) -> Done:
    shown = given["shown"] == "yes"
    await doing.runtime.showing.settle(given["piece"], shown, doing.actor, doing.cause, doing.id)
    words = f"{given['piece']} is {'shown' if shown else 'hidden'} until changed."
    return Done(words, {"shown": shown}, Call("piece.show", {**given, "shown": "no" if shown else "yes"}))


async def _foresee_show(doing: Doing, given: Given) -> str:
    stage, keys = doing.runtime.stage, doing.runtime.showing.keys_of(given["piece"])
    present = "shown" if any(stage.curtain.is_shown(key) for key in keys) else "hidden"
    return f"{present} → {'shown' if given['shown'] == 'yes' else 'hidden'}"


def _scene_name(raw: object) -> str:
    return " ".join(text(60)(raw).split())


async def _call_scene(doing: Doing, given: Given) -> Done:
    there, here = given["there"], given["here"]
    before = next(
        (str(name) for one, name in doing.runtime.links.memory(given["link"]).get("names", {}).items() if one == there),
        there,
    )
    await doing.runtime.talking.call_scene(given["link"], there, here)
    words = f"{there} of the program is called {here} here." if here != there else f"{there} is called as it is there."
    return Done(words, {}, Call("scene.call", {**given, "here": before}))


SAY = Action(
    "chat.say",
    "Send a chat message",
    "Within the chat's rate limit; to the only chat when none is named.",
    {
        "line": Field("Message", text(1_000), kind="wide"),
        "chat": Field("Chat", text(60, empty=True), kind="feed", of="irc"),
    },
    _say,
    _foresee_say,
)
SHOW = Action(
    "piece.show",
    "Show or hide a piece",
    "A piece on air, by overlay and piece name: `Cup bar / Gift`.",
    {
        "piece": Field("Piece", text(200), kind="part"),
        "shown": Field("Shown", choice(("yes", "no")), kind="switch", default="yes"),
    },
    _show,
    _foresee_show,
)
CALL_SCENE = Action(
    "scene.call",
    "Rename a scene in Tesoura",
    "Without renaming it in the streaming software.",
    {
        "link": Field("Scene link", text(60), kind="feed", of="scene"),
        "there": Field("Name there", _scene_name),
        "here": Field("Name here", _scene_name),
    },
    _call_scene,
    noted=True,
    may=SET_UP,
)

ALL = (SAY, SHOW, CALL_SCENE)
