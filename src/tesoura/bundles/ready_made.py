"""Ready-made text files: wordings that many streams want, and the computed signals that they read."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from tesoura.core.language.plurals import plural_wording

SPANS = {
    "session": "this stream session",
    "today": "today",
    "week": "this week",
    "month": "this month",
    "year": "this year",
    "all": "of all time",
}
ALL_STATS = ["count", "sum", "latest", "first", "largest", "top"]


@dataclass(frozen=True, slots=True)
class ReadyMadeWords:
    """How the user's events are called: for each family the type, the field with the name, the field with the amount,
    and the amount's unit."""

    gift: str = "gift"
    gift_name: str = "name"
    gift_amount: str = "amount"
    unit: str = "spools"
    follow: str = "follow"
    follow_name: str = "name"
    subscription: str = "subscription"
    subscription_name: str = "name"
    cut: str = "kill"
    cut_name: str = "target"


@dataclass(frozen=True, slots=True)
class ReadyMade:
    """One file: its name, what it is, its group, its wording, what stands for nothing yet, what must be computed."""

    file: str
    title: str
    group: str
    wording: str
    nothing_yet: str
    needs: tuple[str, ...] = field(default=())


def definitions(words: ReadyMadeWords) -> dict[str, tuple[str, dict[str, Any]]]:
    """The computed signals that ready-made files read: by name the kind and the choices."""
    found: dict[str, tuple[str, dict[str, Any]]] = {}
    for span in SPANS:
        found[f"gifts_{span}"] = _window(words.gift, words.gift_name, span, words.gift_amount, words.unit)
        found[f"follows_{span}"] = _window(words.follow, words.follow_name, span)
        found[f"subscriptions_{span}"] = _window(words.subscription, words.subscription_name, span)
        found[f"cuts_{span}"] = _window(words.cut, words.cut_name, span)
    lately = {"over": "minutes", "length": "10", "stats": ["count", "sum", "per_minute"]}
    found["gifts_lately"] = (
        "window",
        {"types": [words.gift], "amount": words.gift_amount, "by": words.gift_name, "unit": words.unit, **lately},
    )
    found["cuts_lately"] = ("window", {"types": [words.cut], **lately})
    found["gift_chain"] = ("chain", {"types": [words.gift], "within_s": "60", "by": words.gift_name})
    found["cut_chain"] = ("chain", {"types": [words.cut], "within_s": "10", "by": words.cut_name})
    found["gift_goal"] = (
        "goal",
        {"signal": "gifts_session.sum", "start": "0", "target": "100", "unit": words.unit, "began": "", "by": ""},
    )
    found["follow_goal"] = (
        "goal",
        {"signal": "follows_session.count", "start": "0", "target": "20", "unit": "follows", "began": "", "by": ""},
    )
    return found


def _window(kind: str, name: str, span: str, amount: str = "", unit: str = "") -> tuple[str, dict[str, Any]]:
    return "window", {
        "types": [kind],
        "amount": amount,
        "by": name,
        "over": span,
        "stats": ALL_STATS,
        "top": "5",
        "unit": unit,
    }


def with_needed(names: set[str], words: ReadyMadeWords) -> list[str]:
    """These computed signals and those which they read, in an order in which they can be made."""
    known = definitions(words)
    read = {str(known[name][1]["signal"]).partition(".")[0] for name in names if "signal" in known[name][1]}
    return sorted(read) + sorted(names - read)


def files(words: ReadyMadeWords) -> list[ReadyMade]:
    """All ready-made files."""
    unit = words.unit

    def said(value: str) -> str:
        return plural_wording(value, unit)

    found = [
        ReadyMade(
            "latest_gift.txt",
            "Latest gift",
            "Latest",
            f"{{gifts_all.latest_name}} · {{gifts_all.latest_amount:,}} {said('gifts_all.latest_amount')}",
            "no gift yet",
            ("gifts_all",),
        ),
        ReadyMade("latest_giver.txt", "Latest giver", "Latest", "{gifts_all.latest_name}", "", ("gifts_all",)),
        ReadyMade("latest_follow.txt", "Latest follower", "Latest", "{follows_all.latest_name}", "", ("follows_all",)),
        ReadyMade(
            "latest_subscription.txt",
            "Latest subscriber",
            "Latest",
            "{subscriptions_all.latest_name}",
            "",
            ("subscriptions_all",),
        ),
        ReadyMade("latest_cut.txt", "Latest kill", "Latest", "{cuts_all.latest_name}", "", ("cuts_all",)),
        ReadyMade(
            "first_gift_of_session.txt",
            "First gift of this session",
            "Latest",
            "{gifts_session.first_name} · {gifts_session.first_amount:,} " + said("gifts_session.first_amount"),
            "",
            ("gifts_session",),
        ),
    ]
    for span, when in SPANS.items():
        window = f"gifts_{span}"
        found += [
            ReadyMade(
                f"top_giver_{span}.txt",
                f"Top giver {when}",
                "Top",
                f"{{{window}.top_1_name}} · {{{window}.top_1_amount:,}} {said(f'{window}.top_1_amount')}",
                "",
                (window,),
            ),
            ReadyMade(
                f"top_3_givers_{span}.txt",
                f"Top three givers {when}",
                "Top",
                f"{{names({window}.leaders, 3)}}",
                "",
                (window,),
            ),
            ReadyMade(
                f"total_gifts_{span}.txt",
                f"Gift total {when}",
                "Totals",
                f"{{{window}.sum:,}} {said(f'{window}.sum')}",
                f"0 {unit}",
                (window,),
            ),
        ]
    found += [
        ReadyMade(
            f"largest_gift_{span}.txt",
            f"Largest gift {SPANS[span]}",
            "Top",
            f"{{gifts_{span}.largest_name}} · {{gifts_{span}.largest_amount:,}} "
            + said(f"gifts_{span}.largest_amount"),
            "",
            (f"gifts_{span}",),
        )
        for span in ("session", "all")
    ]
    found += [
        ReadyMade(
            f"total_{family}_{span}.txt",
            f"{title} {SPANS[span]}",
            "Totals",
            f"{{{family}_{span}.count:,}}",
            "0",
            (f"{family}_{span}",),
        )
        for family, title, spans in (
            ("follows", "Follows", ("session", "today", "week", "month")),
            ("subscriptions", "Subscriptions", ("session", "month")),
            ("cuts", "Kills", ("session", "today", "all")),
        )
        for span in spans
    ]
    found += [
        ReadyMade(
            "gift_chain.txt", "Current gift chain", "Chains", "{gift_chain.length} in a row", "", ("gift_chain",)
        ),
        ReadyMade(
            "gift_chain_left.txt",
            "Seconds left in the gift chain",
            "Chains",
            "{gift_chain.left_s}",
            "",
            ("gift_chain",),
        ),
        ReadyMade(
            "gift_chain_who.txt",
            "People in the gift chain",
            "Chains",
            "{names(gift_chain.who, 3)}",
            "",
            ("gift_chain",),
        ),
        ReadyMade(
            "longest_gift_chain.txt", "Longest gift chain", "Chains", "{gift_chain.longest}", "0", ("gift_chain",)
        ),
        ReadyMade("cut_chain.txt", "Current kill chain", "Chains", "{cut_chain.length}", "0", ("cut_chain",)),
        ReadyMade("longest_cut_chain.txt", "Longest kill chain", "Chains", "{cut_chain.longest}", "0", ("cut_chain",)),
        ReadyMade(
            "gift_goal.txt",
            "Gift goal",
            "Goals",
            f"{{gift_goal.done:,}} of {{gift_goal.target:,}} {unit}",
            f"0 {unit}",
            ("gift_goal",),
        ),
        ReadyMade(
            "gift_goal_percent.txt", "Gift goal in percent", "Goals", "{gift_goal.pct:.0f} %", "0 %", ("gift_goal",)
        ),
        ReadyMade(
            "follow_goal.txt",
            "Follow goal",
            "Goals",
            "{follow_goal.done:,} of {follow_goal.target:,} follows",
            "0 follows",
            ("follow_goal",),
        ),
        ReadyMade(
            "gifts_last_10_minutes.txt",
            "Gifts in the last 10 minutes",
            "Lately",
            f"{{gifts_lately.sum:,}} {said('gifts_lately.sum')}",
            f"0 {unit}",
            ("gifts_lately",),
        ),
        ReadyMade(
            "cuts_per_minute.txt",
            "Kills per minute, last 10 minutes",
            "Lately",
            "{cuts_lately.per_minute:.1f}",
            "0",
            ("cuts_lately",),
        ),
    ]
    return found
