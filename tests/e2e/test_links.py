"""What a user does with a chat and with the program that composes the picture: connect, prove, try, go on."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tesoura.standins.chat import ChatServer
from tesoura.standins.compositor import Compositor
from tests.conftest import Running, until


@pytest.fixture
def chat() -> Iterator[ChatServer]:
    made = ChatServer(token="open-sesame-9")
    made.start()
    yield made
    made.stop()


@pytest.fixture
def picture() -> Iterator[Compositor]:
    made = Compositor(password="kites-in-the-wind")
    made.start()
    yield made
    made.stop()


def test_a_chat_is_connected_proven_and_spoken_in(page: Page, chat: ChatServer) -> None:
    page.goto("/")
    page.get_by_role("link", name="Only a feed").click()
    page.get_by_role("link", name="A chat (IRC)").click()
    page.get_by_label("Server", exact=True).fill("127.0.0.1")
    page.get_by_label("Port", exact=True).fill(str(chat.port))
    page.get_by_label("Connection").select_option("no")
    page.get_by_label("Channel", exact=True).fill("#windyladder")
    page.get_by_label("Account name").fill("mara_helper")
    page.get_by_label("Token", exact=True).fill("wrong-word")
    page.get_by_role("button", name="Test connection").click()
    expect(page.get_by_role("alert")).to_contain_text("refused the token for mara_helper")
    page.get_by_label("Token", exact=True).fill("open-sesame-9")
    page.get_by_role("button", name="Try again").click()
    panel = page.locator("#link-panel")
    expect(panel).to_contain_text("Joined as mara_helper, may speak")
    expect(panel).to_contain_text("0 of 20 lines in 30 s used")
    chat.say("teacup_ana", "\u202e good evening <b>", roles="subscriber")
    expect(panel.locator(".chat-lines li")).to_have_text(re.compile(r"teacup_ana subscriber good evening <b>$"))
    panel.get_by_label("Test message").fill("hello from the pier")
    page.keyboard.press("Enter")
    expect(panel.get_by_role("status")).to_have_text("It was sent and visible in chat.")
    expect(panel).to_contain_text("1 of 20 lines")
    assert chat.heard == [("mara_helper", "hello from the pier")]
    chat.drop()
    expect(page.locator("#feed-state")).to_contain_text("closed the connection")
    until(lambda: chat.guests == ["mara_helper"])
    expect(panel).to_contain_text("Joined as mara_helper")


def test_the_picture_is_linked_switched_and_a_session_begins_when_it_streamed(
    page: Page, running: Running, picture: Compositor
) -> None:
    running.add_overlay("hello")
    page.goto("/feeds/new/scene")
    page.get_by_label("Address", exact=True).fill(picture.link_address)
    page.get_by_label("Password", exact=True).fill("kites-in-the-wind")
    page.get_by_role("button", name="Test connection").click()
    panel = page.locator("#link-panel")
    expect(panel).to_contain_text("Connected.")
    expect(panel.locator(".is-now")).to_contain_text("Play")
    panel.get_by_role("button", name=re.compile("Switch to scene.*Break")).click()
    expect(panel.locator(".is-now")).to_contain_text("Break")
    assert picture.current == "Break"
    picture.rename("Break", "Kettle time")
    expect(panel).to_contain_text("called “Kettle time” there")
    page.goto("/")
    desk = page.locator("#desk-scene")
    expect(desk.get_by_role("button", name="Break now")).to_be_visible()
    picture.refuses = True
    desk.get_by_role("button", name="Talk").click()
    expect(desk.get_by_role("alert")).to_contain_text("A transition is in progress")
    picture.refuses = False
    desk.get_by_role("button", name="Talk").focus()
    page.keyboard.press("Enter")
    expect(desk.get_by_role("button", name="Talk now")).to_be_visible()
    picture.stream(True)
    page.get_by_role("button", name=re.compile(r"Start the session at \d\d:\d\d:\d\d")).click()
    expect(page.locator(".clock.big")).to_be_visible()
    expect(page.get_by_text("Your stream started at")).to_have_count(0)
    began = running.runtime.call(lambda self: (self.session_started_at, self.talking.streaming_since()))
    assert began[0] == began[1] is not None
