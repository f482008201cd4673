"""Covering what is private: marked before the first paint, by default while a session runs, by one key or action."""

from __future__ import annotations

from html import escape

import pytest
from bs4 import BeautifulSoup
from bs4.element import Comment

from tesoura.core.forms.private import UNSEEN
from tesoura.web.shared.covering import ATTRIBUTES, marked
from tests.conftest import Running
from tests.core.private_shapes import PRIVATE, PUBLIC

ON = '<span class="private">{}</span>'


PLACES = {
    "text": "<p>Nothing answers at {} now.</p>",
    "code": "<pre><code>{}</code></pre>",
    "title": '<b title="Not at {} now">Lamp</b>',
    "alt": '<img src="/x.png" alt="Lamp at {}">',
    "aria-label": '<button aria-label="Ask {} again">Ask</button>',
    "aria-description": '<b aria-description="at {}">Lamp</b>',
    "option": '<select><option value="1">Lamp at {}</option></select>',
    "option without a value": "<select><option selected>{}</option></select>",
    "optgroup": '<select><optgroup label="at {}"><option>Lamp</option></optgroup></select>',
    "page title": "<title>Lamp at {} · Tesoura</title>",
    "drawing": "<svg><title>at {0}</title><text x='1'>Lamp at {0}</text></svg>",
    "heading": "<h1>{}</h1>",
    "summary": "<details><summary>At {}</summary></details>",
    "label": "<label>{} <input></label>",
}
BREAKS = ("<wbr>", "</mark><mark>", "<b></b>", "\u200b", "&shy;", "</span><span>", "<!-- x -->")
INVISIBLE = dict.fromkeys(map(ord, UNSEEN))


def readable(html: str) -> str:
    """All of a page that a viewer could read or hear."""
    page = BeautifulSoup(html, "html.parser")
    told = [str(tag[name]) for tag in page.find_all(True) for name in ATTRIBUTES if tag.get(name)]
    for covered in page.select(".private, script, style"):
        covered.decompose()
    told.append("".join(str(one) for one in page.find_all(string=True) if not isinstance(one, Comment)))
    return "\n".join(told)


@pytest.mark.parametrize("private", PRIVATE)
def test_nothing_private_can_be_read_on_a_page_in_whatever_place_it_is(private: str) -> None:
    pages = [place.format(escape(private)) for place in PLACES.values()]
    for gap in BREAKS:
        for at in (1, len(private) // 2, len(private) - 1):
            pages.append(f"<p><mark>{escape(private[:at])}{gap}{escape(private[at:])}</mark></p>")
    for html in pages:
        assert private in readable(html).translate(INVISIBLE), html
        assert private not in readable(marked(html)).translate(INVISIBLE), html


@pytest.mark.parametrize("text", PUBLIC)
def test_what_is_not_private_is_left_as_it_is(text: str) -> None:
    for place in PLACES.values():
        assert marked(place.format(escape(text))) == place.format(escape(text))


def test_what_is_covered_is_kept_beside_and_what_works_goes_on_working() -> None:
    assert marked("<p>Nothing answers at 10.0.0.3 now.</p>") == (
        '<p>Nothing answers at <span class="private">10.0.0.3</span> now.</p>'
    )
    assert marked("<title>Lamp at 10.0.0.3</title>") == (
        '<title data-private-text="Lamp at 10.0.0.3">Lamp at ••••••••</title>'
    )
    assert marked("<option>10.0.0.3</option>") == (
        '<option data-private-text="10.0.0.3" value="10.0.0.3">••••••••</option>'
    )
    assert marked('<b title="at 10.0.0.3">x</b>') == ('<b title="at ••••••••" data-private-title="at 10.0.0.3">x</b>')
    assert marked("<text>10.0.0.3</text>") == '<text><span class="private">10.0.0.3</span></text>'
    assert marked("<svg><text>10.0.0.3</text></svg>") == (
        '<svg><text><tspan class="private">10.0.0.3</tspan></text></svg>'
    )
    assert marked("<p>at 10.0.<br>0.3</p>") == "<p>at 10.0.<br>0.3</p>"


def test_fields_are_covered_until_somebody_steps_in_and_scripts_are_left_alone() -> None:
    assert marked('<input class="form-control" value="http://10.0.0.3/">') == (
        '<input class="private-field form-control" value="http://10.0.0.3/">'
    )
    assert marked('<input value="Lamp">') == '<input value="Lamp">'
    assert marked("<textarea>10.0.0.3</textarea>") == '<textarea class="private-field">10.0.0.3</textarea>'
    assert marked("<textarea data-public>10.0.0.3</textarea>") == "<textarea data-public>10.0.0.3</textarea>"
    for whole in (
        "<script>const a = 'http://10.0.0.3/';</script>",
        "<samp>10.0.0.3</samp>",
        '<a href="http://10.0.0.3/">there</a>',
        "<!-- 10.0.0.3 -->",
    ):
        assert marked(whole) == whole


def test_a_page_is_covered_while_a_session_runs_until_somebody_shows_it_and_again_in_the_next(running: Running) -> None:
    running.press(
        "/",
        "/feeds/new/socket",
        {
            "title": "Lamp",
            "address": "ws://127.0.0.1:9/lamp",
            "key_in": "none",
            "subscribe": "",
            "ping_s": "20",
            "keep_anyway": "yes",
        },
    )

    def covered() -> bool:
        page = running.client.get("/feeds/lamp").text
        assert ('<html lang="en" class="is-covered">' in page) == (ON.format("127.0.0.1:9") in page)
        return "is-covered" in page

    assert not covered()
    running.do("session.start")
    assert covered()
    assert ON.format("127.0.0.1:9") in running.client.get("/desk/needs").text
    assert running.press("/", "/desk/cover", {"covered": "no"}).status_code == 204
    assert not covered()
    running.stop()
    anew = Running(running.folder)
    try:
        assert "is-covered" not in anew.client.get("/").text
        anew.do("session.start")
        assert "is-covered" in anew.client.get("/").text
    finally:
        anew.stop()


def test_it_can_be_covered_without_a_session_and_overlays_are_never_touched(running: Running) -> None:
    token = running.add_overlay("mail us at pier@example.org")
    running.press("/", "/desk/cover", {"covered": "yes"})
    assert "is-covered" in running.client.get("/signals/").text
    assert "mail us at pier@example.org" in running.client.get(f"/o/{token}").text
    refused = running.client.post("/api/actions/private.cover", json={"covered": "no"}, headers=running.auth)
    assert refused.status_code == 403
