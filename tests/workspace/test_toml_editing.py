"""Changing values in settings files: exactly what is asked for changes, and comments stay at what they are about."""

import tomllib
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.description.toml_reading import numbered
from kotrel.workspace.toml_editing import TomlText, written

RULES = """\
# Our spring prices.
title = "Spring" # as on the letter

# Every price in steps of five cents.
steps = "all"

# Rope first.
[[step]]
name = "rope"   # braided and twisted
where = "category begins with 'ROPE'"
set = { SHOP = "SHOP + 4%", YARD = "YARD + 2%" }

# Chain is dearer.
[[step]]
name = "chain"
round = "up to 0.05" # never down

[step.set] # one more way to write it
SHOP = "SHOP + 9%"

[guards]
least_margin = "15%"
not_above = [
  "YARD", # trade
  "SHOP",
]
"""


class Comments(unittest.TestCase):
    def edited(self, *changes, text=RULES):
        done = TomlText(text)
        for name, *words in changes:
            getattr(done, name)(*words)
        return done.text()

    def test_untouched_it_is_the_same_byte_for_byte(self):
        for text in (
            RULES,
            RULES.replace("\n", "\r\n"),
            "a=1\n",
            "a=1",
            "\n\n# only words\n",
            "[a]\n  b   =   'c'  # d\n\n\n",
        ):
            self.assertEqual(TomlText(text).text(), text)

    def test_one_value_changes_in_its_place(self):
        self.assertEqual(self.edited(("set", ("title",), "Summer")), RULES.replace('"Spring"', '"Summer"'))
        self.assertEqual(
            self.edited(("set", (numbered("step", 1), "set", "YARD"), "YARD + 3%")),
            RULES.replace("YARD + 2%", "YARD + 3%"),
        )
        self.assertEqual(
            self.edited(("set", (numbered("step", 2), "set", "SHOP"), "SHOP + 8%")),
            RULES.replace("SHOP + 9%", "SHOP + 8%"),
        )
        self.assertEqual(self.edited(("set", ("guards", "zero"), "warning")).removeprefix(RULES), 'zero = "warning"\n')

    def test_what_goes_takes_its_comments_along(self):
        self.assertEqual(
            self.edited(("set", ("steps",), None)),
            RULES.replace('\n# Every price in steps of five cents.\nsteps = "all"\n', ""),
        )
        first, second = RULES.index("\n# Rope first"), RULES.index("\n# Chain is dearer")
        self.assertEqual(self.edited(("arrange", ("step",), [2])), RULES[:first] + RULES[second:])

    def test_tables_of_a_list_move_with_their_comments_and_their_own_tables(self):
        first, second, third = (
            RULES.index("\n# Rope first"),
            RULES.index("\n# Chain is dearer"),
            RULES.index("\n[guards]"),
        )
        one, two = RULES[first:second], RULES[second:third]
        self.assertEqual(self.edited(("arrange", ("step",), [2, 1])), RULES[:first] + two + one + RULES[third:])
        new = '\n[[step]]\nname = "new"\n'
        self.assertEqual(
            self.edited(("arrange", ("step",), [1, {"name": "new"}, 2])),
            RULES[:first] + one + new + two + RULES[third:],
        )

    def test_a_table_gets_another_name_and_keeps_all_else(self):
        text = '[field.cost] # dealer net\ncolumn = "Net"\n\n[field.cost.translate]\nx = "1"\n\n[record.item.field]\ncode = { kind = "code" } # the key\n'
        done = self.edited(
            ("rename", ("field", "cost"), "price"), ("rename", ("record", "item", "field", "code"), "sku"), text=text
        )
        self.assertEqual(done, text.replace("field.cost", "field.price").replace("code =", "sku ="))

    def test_new_tables_stand_behind_their_like(self):
        text = '[field.code]\ncolumn = "A"\n\n[lookup.g]\nby = "DG"\n'
        self.assertEqual(self.edited(("add", ("field", "unit"), {"fixed": "EA"}), text=text),
                         text.replace('\n[lookup', '\n[field.unit]\nfixed = "EA"\n\n[lookup'))  # fmt: skip
        inline = '[record.item.field]\ncode = { kind = "code" }\n\n[record.unit]\nkey = ["code"]\n'
        self.assertEqual(self.edited(("add", ("record", "item", "field", "name"), {"kind": "text"}), text=inline),
                         inline.replace('"code" }\n', '"code" }\nname = { kind = "text" }\n'))  # fmt: skip

    def test_a_line_leads_to_what_is_written_in_it(self):
        lines = RULES.splitlines()
        for words, path in (
            ("title", ("title",)),
            ("round =", (numbered("step", 2), "round")),
            ('  "YARD", # trade', ("guards", "not_above")),
        ):
            at = next(place for place, line in enumerate(lines, start=1) if line.startswith(words))
            self.assertEqual(TomlText(RULES).path_at(at), path)


NAMES = st.sampled_from(["a", "b", "c d", "ü", "x.y", "k"])
SCALARS = st.one_of(
    st.text("abc\"'\\#=[]{},\n\t ü", max_size=8), st.integers(-9, 9), st.booleans(), st.dates(), st.lists(st.text("ab,#'\"]", max_size=3), max_size=3)
)  # fmt: skip
VALUES = st.one_of(SCALARS, st.dictionaries(NAMES, SCALARS, max_size=2))
COMMENTS = st.sampled_from(["", "# note\n", "\n# note = [1]\n\n", "\n"])


@st.composite
def documents(draw):
    """A settings file with comments everywhere, and what it says."""
    keys = lambda: draw(st.dictionaries(NAMES, VALUES, max_size=3))  # noqa: E731
    key = lambda name: name if name.isalnum() and name.isascii() else f'"{name}"'  # noqa: E731
    text = ""
    for header in ("", "[t]", "[u.v]", "[[s]]", "[[s]]", "[s.in]", "[[s]]", "[w]"):
        if header and draw(st.booleans()) and not header.startswith("[s.in"):
            continue
        if header == "[s.in]" and "[[s]]" not in text:
            continue
        text += draw(COMMENTS) + (f"{header}{draw(st.sampled_from(['', ' # why']))}\n" if header else "")
        for name, value in keys().items():
            text += draw(COMMENTS) + f"{key(name)} = {written(value)}{draw(st.sampled_from(['', '  # so']))}\n"
    return text + draw(COMMENTS)


def paths_in(value, path=()):
    for name, each in value.items():
        if isinstance(each, dict):
            yield (*path, name)
            yield from paths_in(each, (*path, name))
        elif isinstance(each, list) and each and all(isinstance(one, dict) for one in each):
            for place, one in enumerate(each, start=1):
                yield from paths_in(one, (*path, numbered(name, place)))
        else:
            yield (*path, name)


def with_value(data, path, value):
    """The same data with one value set; None takes it away."""
    name, _, place = path[0].partition("\x00")
    if place:
        found = list(data[name])
        found[int(place) - 1] = with_value(found[int(place) - 1], path[1:], value)
        return {**data, name: found}
    if len(path) == 1:
        return {each: own for each, own in {**data, name: value}.items() if own is not None}
    return {**data, name: with_value(data.get(name, {}), path[1:], value)}


class Laws(unittest.TestCase):
    @settings(deadline=None, max_examples=300)
    @given(documents(), st.data())
    def test_one_change_changes_one_value(self, text, data):
        done = TomlText(text)
        says = tomllib.loads(text)
        self.assertEqual(done.text().strip("\n"), text.strip("\n"))
        known = list(paths_in(says))
        if not known:
            return
        path, value = data.draw(st.sampled_from(known)), data.draw(st.one_of(st.none(), SCALARS))
        inside = says
        for part in path[:-1]:
            name, _, place = part.partition("\x00")
            inside = inside[name][int(place) - 1] if place else inside[name]
        if isinstance(inside[path[-1]], dict):
            value = None
        done.set(path, value)
        self.assertEqual(_bare(tomllib.loads(done.text())), _bare(with_value(says, path, value)))

    @settings(deadline=None, max_examples=200)
    @given(documents(), st.data())
    def test_tables_of_a_list_come_in_the_order_that_is_asked_for(self, text, data):
        says = tomllib.loads(text)
        steps = says.get("s", [])
        if not steps:
            return
        order = data.draw(st.lists(st.sampled_from([*range(1, len(steps) + 1), {"k": 7}]), unique_by=str, max_size=4))
        done = TomlText(text)
        done.arrange(("s",), order)
        wanted = [steps[each - 1] if isinstance(each, int) else each for each in order]
        self.assertEqual(
            tomllib.loads(done.text()),
            {name: each for name, each in {**says, "s": wanted}.items() if each != [] or name != "s"},
        )


def _bare(data):
    """Without tables that are empty now: whether their header stays is no value."""
    if isinstance(data, dict):
        return {name: bare for name, each in data.items() if (bare := _bare(each)) != {}}
    return [_bare(each) for each in data] if isinstance(data, list) else data
