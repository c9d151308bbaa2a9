"""A dialogue: one question at a time, each answer put into a settings file; back, more and stop at every question."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from textwrap import fill
from typing import Any

from msgspec import Struct
from rich.text import Text

from kotrel.core.phrases import count
from kotrel.core.values.yes_no import read_yes_no
from kotrel.screen.screen import Screen

Document = Any
"""A settings file as tomlkit has it: comments stay where they are."""

HELP = "Enter takes the proposal, ? shows more, b goes back, q stops and keeps what was answered"


class DialogueQuestion(Struct, frozen=True):
    """One question.

    Attributes:
        text: what is asked, with a few values of the column.
        take: puts an answer into the settings; an empty one takes the proposal. Returns what is wrong with it, or None.
        more: what ``?`` shows.
    """

    text: str
    take: Callable[[Document, str], str | None]
    more: str = ""


def yes_or_no(
    text: str,
    on_yes: Callable[[Document], None] = lambda document: None,
    on_no: Callable[[Document], None] = lambda document: None,
    enter: str = "yes",
    more: str = "",
) -> DialogueQuestion:
    """A question that yes or no answers, and what each does to the settings.

    Args:
        enter: what Enter stands for.
    """

    def take(document: Document, said: str) -> str | None:
        answer = read_yes_no(said) if said else enter
        if answer is None:
            return "y or n"
        (on_yes if answer == "yes" else on_no)(document)
        return None

    return DialogueQuestion(text, take, more)


def converse(screen: Screen, asked: Sequence[DialogueQuestion], document: Document) -> tuple[Document, bool]:
    """Asks all questions. Returns the settings with the answers, and False where the user stopped before the end."""
    import tomlkit

    if asked:
        screen.show(Text(f"{count(len(asked), 'question')}. {HELP}.", style="dim"))
    before: list[str] = []
    again = False
    while len(before) < len(asked):
        question = asked[len(before)]
        text = wrapped(f"{len(before) + 1}/{len(asked)}  {question.text}", screen.console.width)
        said = screen.answer("> " if again else f"\n{text}\n> ")
        again = False
        if said is None or said == "q":
            return document, False
        if said == "?":
            screen.show(Text(question.more or HELP, style="dim"))
            again = True
        elif said == "b":
            if before:
                document = tomlkit.parse(before.pop())
        else:
            former = tomlkit.dumps(document)
            wrong = question.take(document, said)
            if wrong is not None:
                document = tomlkit.parse(former)
                refuse(screen, wrong)
                again = True
            else:
                before.append(former)
    return document, True


def refuse(screen: Screen, wrong: str) -> None:
    """Says why an answer cannot be used."""
    wrong = f"{wrong[0].upper()}{wrong[1:]}"
    screen.show(Text(wrong if wrong[-1] in ".?" else f"{wrong}.", style="yellow"))


def wrapped(text: str, width: int) -> str:
    """The lines of a question broken between words, all but the first set in."""
    first, *more = text.split("\n")
    lines = [fill(first, width, subsequent_indent="     ")]
    return "\n".join([*lines, *(fill(line, width, initial_indent="     ", subsequent_indent="     ") for line in more)])
