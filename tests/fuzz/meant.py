"""Cases that somebody could have meant: expressions that hold together, settings of the right kind, in odd company."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable

FIELDS = ("code", "description", "unit", "category", "cost", "price", "vendor", "condition", "lot_tracked", "archived", "on_hand", "average_cost",
          "last_moved", "tags", "pictures", "parent_item", "weight", "length", "barcode", "order_multiple", "nothing")  # fmt: skip
TEXTS = ("", " ", "A/B", "x" * 40, "all", "QUAY", "SHOP", "FLEET", "EA", "yes", "=1+1", "é“”", "a\tb", "a\nb", "'", '"', "{x}", "{", "[Words]", ";", "0", "-1", "1e5",
         "100%", "12.5%", "up to 0.05", "ending 0.99", "as shown", "new", "CON", "../x", "sheet", "item", "price", "cp1252", "utf-16", "2027-01-01", "DD.MM.YY", "\u202e")  # fmt: skip
WORDS = ("record", "field", "column", "fixed", "make", "default", "default_by", "join", "list", "between", "translate", "split", "pattern", "part", "how", "for", "where",
         "once_per", "rounding", "found_by", "repeat", "skip", "sheet", "heading_row", "heading", "action", "name", "decimals", "length", "words", "must", "at_most",
         "price_of", "stock_in", "reference", "empty", "separator", "quotes", "encoding", "line_end", "headings", "blank", "clean", "book", "most_rows", "updates", "cleared",
         "heading_lines", "set", "round", "from_quantity", "from_date", "most_up", "most_down", "kind", "to", "key", "called", "path", "nature", "least", "most",
         "choices", "unique", "same_as", "default_from", "one_of", "kept_by", "from_ledger", "title", "store", "synonyms", "zero_means", "check", "within", "period")  # fmt: skip


def expression(pick: random.Random, kind: str = "", depth: int = 0) -> str:
    """An expression that holds together, of a kind: number, text or yes_no; some are deep."""
    kind = kind or pick.choice(("number", "text", "yes_no"))
    if depth > 6 or (depth and pick.random() < 0.25):
        return pick.choice(
            {
                "number": ("cost", "price", "weight", "on_hand", "1", "0", "0.5", "99999999999", "number(code)", "blank"),
                "text": ("code", "description", "unit", "category", "'x'", "''", "[Item code]", "[Cost]", "name of category", "text(cost)", "barcode"),
                "yes_no": ("lot_tracked", "archived", "cost > 1", "code is blank", "category is 'ROPE'"),
            }[kind]
        )  # fmt: skip

    def one(of: str) -> str:
        return f"({expression(pick, of, depth + 1)})"

    number, text, whether = (lambda: one("number")), (lambda: one("text")), (lambda: one("yes_no"))
    either: Callable[[], str] = lambda: f"(if {whether()} then {one(kind)} else {one(kind)})"  # noqa: E731
    made: dict[str, tuple[Callable[[], str], ...]] = {
        "number": (lambda: f"{number()} {pick.choice('+-*/')} {number()}", lambda: f"{number()} {pick.choice(('+', '-', '*', 'at margin', 'at markup'))} {number()}%",
                   lambda: f"round({number()}, {pick.randrange(14)})", lambda: f"least({number()}, {number()})", lambda: f"length({text()})", lambda: f"- {number()}", either),
        "text": (lambda: f"{text()} + {text()}", lambda: f"{pick.choice(('left', 'right', 'pad'))}({text()}, {pick.randrange(60)})", lambda: f"replace({text()}, {text()}, {text()})",
                 lambda: f"upper({text()})", lambda: f"text({number()})", lambda: f"mid({text()}, {pick.randrange(5)}, 3)", lambda: f"{text()} + next({pick.randrange(20)})", either),
        "yes_no": (lambda: f"{number()} {pick.choice(('<', '<=', '=', '!=', 'is', 'is not'))} {number()}", lambda: f"{text()} is {pick.choice(('one of', 'not one of'))} ({text()}, {text()})",
                   lambda: f"{text()} {pick.choice(('contains', 'begins with', 'ends with', 'is'))} {text()}", lambda: f"not {whether()}", lambda: f"{whether()} and {whether()}",
                   lambda: f"{number()} is blank", either),
    }  # fmt: skip
    return pick.choice(made[kind])()


STEPS = ("if cost > 5 then ({}) else 2", "({}) + cost%", "1 / ({})", "1 at margin ({})%", "most(({}), 2)", "round({}, 2)", "({}) * 1.1", "- ({})",
         "if ({}) is one of (1, 2) then 1 else 2", "if ({}) is blank then 1 else 3", "if ({}) > 1 then ({}) else 2", "number(text({}))")  # fmt: skip


def deep_expression(pick: random.Random) -> str:
    """Many steps within one another."""
    text = "cost"
    steps = [pick.choice(STEPS[:10] + STEPS[11:]) for _ in range(pick.choice((1, 3)))] + [pick.choice(STEPS)][
        : pick.randrange(2)
    ]
    for place in range(pick.randrange(60)):
        longer = steps[place % len(steps)].replace("{}", text)
        if len(longer) > 3_900:
            break
        text = longer
    return text


def value(pick: random.Random) -> str:
    """A value as it stands in a settings file."""
    some: tuple[Callable[[], str], ...] = (
        lambda: json.dumps(pick.choice(TEXTS), ensure_ascii=False), lambda: json.dumps(pick.choice(FIELDS)), lambda: json.dumps(pick.choice(FIELDS)),
        lambda: str(pick.choice((0, 1, 2, 3, 5, 12, 13, 31, 255, 1_000_000_000, -1))), lambda: pick.choice(("true", "false")),
        lambda: json.dumps([pick.choice((*FIELDS, *TEXTS)) for _ in range(pick.randrange(4))], ensure_ascii=False),
        lambda: "{ " + ", ".join(f"{json.dumps(pick.choice((*FIELDS, *TEXTS)), ensure_ascii=False)} = {json.dumps(pick.choice(TEXTS), ensure_ascii=False)}"
                                 for _ in range(pick.randrange(3))) + " }",
        lambda: json.dumps(expression(pick)), lambda: "2027-02-01", lambda: '"0.5"',
    )  # fmt: skip
    return pick.choice(some)()


def settings(content: str, pick: random.Random) -> str:
    """A settings file in which some values are others of their kind, and some settings stand where they could."""
    lines = content.splitlines()
    for _ in range(pick.choice((1, 1, 2, 4))):
        at = pick.randrange(len(lines))
        key, sign, old = lines[at].partition(" = ")
        if sign and pick.random() < 0.6 and "{" not in old:
            lines[at] = f"{key} = {_like(old, pick)}"
        elif sign and pick.random() < 0.3:
            # A setting within braces, or a word of a list.
            lines[at] = (
                key
                + sign
                + re.sub(r'"[^"]*"', lambda found: _like(found[0], pick) if pick.random() < 0.3 else found[0], old)
            )
        else:
            lines.insert(at + 1, f"{pick.choice(WORDS)} = {value(pick)}")
    return "\n".join(lines) + "\n"


def _like(old: str, pick: random.Random) -> str:
    """A value of the same kind, mostly."""
    if pick.random() < 0.15:
        return value(pick)
    if old.startswith('"'):
        return json.dumps(pick.choice((*TEXTS, *FIELDS, *WORDS, expression(pick))), ensure_ascii=False)
    if old.strip() in ("true", "false"):
        return "true" if old.strip() == "false" else "false"
    if old.strip().isdigit():
        return str(pick.choice((0, 1, 2, 3, 6, 12, 31, 40, 999)))
    return value(pick)


def layout(pick: random.Random) -> str:
    """A layout of random columns and settings, most of them sound."""
    lines = ['record = "item"']
    usual = {"separator": ("semicolon", "tab", "#", "comma"), "quotes": ("needed", "all", "none"), "encoding": ("utf-8", "cp1252", "utf-16", "ascii"), "decimal_mark": (",", "."),
             "date": ("DD.MM.YYYY", "YYYYMMDD"), "updates": ("whole", "changed"), "format": ("text", "workbook"), "sheet": ("Items", "A/B", "x" * 31), "blank": ("", "-"),
             "line_end": ("unix", "mac"), "book": ("up", "orders"), "cleared": ("#", "")}  # fmt: skip
    lines += [f"{key} = {json.dumps(pick.choice(words))}" for key, words in usual.items() if pick.random() < 0.2]
    lines += [
        each for each in ("clean = true", "headings = false", "decimals = 2", "most_rows = 3") if pick.random() < 0.2
    ]
    for _ in range(pick.randrange(1, 6)):
        lines += ["[[column]]", f"heading = {json.dumps(pick.choice(TEXTS), ensure_ascii=False)}"]
        lines.append(
            pick.choice(
                (f'field = "{pick.choice(FIELDS[:-1])}"', f'field = "{pick.choice(FIELDS[:-1])}"', f"make = {json.dumps(expression(pick))}", f'price_of = "{pick.choice(("SHOP", "FLEET"))}"',
                 f'stock_in = "{pick.choice(("QUAY", "all"))}"', 'fixed = "x"', 'action = { new = "N" }', "reference = true", "empty = true")
            )
        )  # fmt: skip
        lines += [
            each
            for each in (
                "decimals = 3",
                "length = 4",
                "must = true",
                "name = true",
                "at_most = 5",
                'words = { yes = "1" }',
            )
            if pick.random() < 0.1
        ]
    return "\n".join(lines) + "\n"


KINDS = ("code", "text", "number", "quantity", "money", "date", "yes_no", "choice", "list", "reference", "moment", "always", "new", "may", "system", "people", "gtin",
         "document", "ledger", "balance", "stock", "master", "in", "out", "move", "none", "on hand", "reserved", "yes", "no")  # fmt: skip


def description(text: str, pick: random.Random) -> str:
    """A system description in which a few names, kinds and numbers are others that could stand there,
    or lines are missing.
    """
    lines, records = text.split("\n"), re.findall(r"^\[record\.(\w+)\]", text, re.MULTILINE)
    for _ in range(pick.choice((1, 1, 2))):
        at = pick.choice([place for place, line in enumerate(lines) if "=" in line])
        record = next(
            (found[1] for line in reversed(lines[: at + 1]) if (found := re.match(r"^\[record\.(\w+)", line))), "item"
        )
        begins = text.find(f"[record.{record}.field]")
        fields = re.findall(r"^(\w+) = \{ ?(?:title|kind)", text[begins : begins + 6_000], re.MULTILINE) or list(FIELDS)
        words = [*fields, *fields, *records, *KINDS]
        spots = list(re.finditer(r'"[^"]*"', lines[at]))
        numbers = list(re.finditer(r"\b\d+\b", lines[at]))
        how = pick.random()
        if how < 0.6 and spots:
            spot = pick.choice(spots)
            lines[at] = lines[at][: spot.start()] + json.dumps(pick.choice(words)) + lines[at][spot.end() :]
        elif how < 0.75:
            del lines[at]
        elif how < 0.9 and numbers:
            spot = pick.choice(numbers)
            lines[at] = f"{lines[at][: spot.start()]}{pick.choice((0, 1, 2, 3, 6, 12, 40))}{lines[at][spot.end() :]}"
        else:
            some = (
                json.dumps(pick.choice(words)),
                json.dumps([pick.choice(fields)]),
                json.dumps([[pick.choice(fields), pick.choice(fields)]]),
                "true",
                "3",
            )
            more = f"{pick.choice(WORDS)} = {pick.choice(some)}"
            inside = lines[at].rstrip().endswith("}")
            lines[at : at + 1] = [f"{lines[at].rstrip()[:-1]}, {more} }}"] if inside else [lines[at], more]
    return "\n".join(lines)
