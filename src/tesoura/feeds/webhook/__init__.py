"""A feed that is sent to: a private address that takes signed messages (Standard Webhooks), or plain JSON."""

from __future__ import annotations

import base64
from collections.abc import Mapping

from tesoura.core.forms.checks import choice
from tesoura.core.forms.fields import Field
from tesoura.errors import CredentialsRejected, InvalidField, SignatureRefused
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.formats import read
from tesoura.feeds.webhook.signature import PREFIX, secret_bytes, verify


def _secret(raw: object) -> str:
    secret = str(raw).strip()
    if not secret:
        raise InvalidField("Paste the sender's signing secret; it begins with whsec_.")
    try:
        secret_bytes(secret)
    except ValueError as error:
        raise InvalidField(str(error)) from None
    return secret


def receive(context: FetchContext, headers: Mapping[str, str], body: bytes) -> Fetched:
    """Take one message. Raises SourceError when it is not signed as it should be, or does not read as JSON."""
    message_id = headers.get("webhook-id", "")[:160] or None
    if context.choices.get("signed") == "yes":
        try:
            verify(headers, body, context.secrets.get("secret", ""), context.clock())
        except SignatureRefused as error:
            raise CredentialsRejected(str(error)) from None
    payload = read(body.decode("utf-8", "replace"), "json", "Sender")
    return Fetched(payload, len(body), message=payload, message_id=message_id, durable=True)


def _made(drawn: bytes) -> str:
    return PREFIX + base64.b64encode(drawn[:24]).decode()


KIND = FeedKind(
    name="webhook",
    title="Sent to a private address",
    about="A service or program sends messages to a private address, optionally signed.",
    fields={
        "signed": Field(
            "Signature",
            choice(("yes", "no")),
            kind="choice",
            default="yes",
            options=(("yes", "signed (Standard Webhooks)"), ("no", "not signed; the address is enough")),
        ),
        "secret": Field(
            "Signing secret",
            _secret,
            kind="secret",
            only_if=("signed", ("yes",)),
            help="From the sender's webhook settings; begins with whsec_. Empty: Tesoura creates one "
            "for you to enter there.",
        ),
    },
    makes={"secret": _made},
    receive=receive,
    place=lambda choices: "sent to this machine",
    called="Messages",
)
