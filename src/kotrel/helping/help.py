"""``kotrel help``: explains a command, a topic, or one kind of finding."""

from __future__ import annotations

import argparse
from importlib import resources

from kotrel.arguments import COMMANDS, command_groups, parser_for
from kotrel.core.errors import WrongUse
from kotrel.core.rows.finding_kinds import KINDS
from kotrel.core.similarity import nearest
from kotrel.screen.screen import Screen

TOPICS = {
    "mappings": "which column of a supplier's sheet feeds which field",
    "findings": "what Kotrel reports about a sheet, and what it corrects",
    "prices": "price rules, markup and margin",
    "counts": "a physical count, step by step",
    "expressions": "the language of filters, calculated values and prices",
    "exit-status": "what scripts can rely on",
}

EXAMPLE = """\
kotrel help
    all commands and topics
kotrel help check
    the command check and its options
kotrel help mappings
    the topic mappings
kotrel help not-on-list
    what this kind of finding means, and what to do"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "subject", nargs="*", metavar="SUBJECT", help=f"a command, a kind of finding, or a topic: {', '.join(TOPICS)}"
    )


def run(args: argparse.Namespace, screen: Screen) -> int:
    subject = "-".join(args.subject).lower()
    text = explained(subject)
    if screen.as_json:
        screen.json({"subject": subject, "text": text})
    else:
        screen.lines(text.rstrip().split("\n"))
    return 0


def explained(subject: str) -> str:
    """The text about a command, a topic or a kind of finding; a blank subject gives what there is.

    Raises:
        WrongUse: there is nothing of that name.
    """
    if not subject:
        wide = max(map(len, TOPICS))
        topics = "\n".join(f"  {name:<{wide}}  {about}" for name, about in TOPICS.items())
        return f"{command_groups()}\n\ntopics:\n{topics}\n\nkotrel help NAME explains a command, a topic or a kind of finding."
    if subject in COMMANDS:
        called = parser_for(subject).called
        return called.format_help() if called is not None else ""
    if subject in TOPICS:
        return (resources.files("kotrel.helping") / "topics" / f"{subject}.txt").read_text("utf-8")
    if subject in KINDS:
        kind = KINDS[subject]
        return f"{subject} ({kind.severity})\n\n{kind.means}\n{kind.to_do}\n\nAll kinds: docs/reference/findings.md"
    names = (*COMMANDS, *TOPICS, *KINDS)
    close = nearest(subject, names)
    hint = f"Did you mean kotrel help {close}?" if close else "kotrel help lists the commands and topics."
    raise WrongUse(f"there is no help on “{subject}”", hint, "wrong-command-line")
