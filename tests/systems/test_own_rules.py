"""Databases with rules of their own: values we cannot show whole, defaults, triggers, deferred constraints."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kotrel.loading.loads.verify import verify_load
from kotrel.systems.sql.refusals import VANISHED
from tests.systems.own_databases import FIELDS, Fixture, PostgresFixture, SqliteFixture


class Own(Fixture):
    """What both kinds of database do alike."""

    SHOWN_OTHERWISE: list[tuple] = []

    def test_only_what_a_row_changes_is_written(self):
        self.fill(("A", "a", "2026-01-02 03:04:05", "?", "1.2345", "0.1", "", None, "2020-01-01 01:01:01"),
                  ("B", "b", "2026-01-02 03:04:05", "Y", "1.2345", "0.1", "x", None, None))  # fmt: skip
        before = self.everything()
        # B gets another day, word and price; A only another title.
        done = self.load(
            {"no": "A", "title": "new"}, {"no": "B", "seen": "2026-02-01", "sold": "no", "price": "2.00", "note": "y"}
        )
        self.assertEqual(self.told, self.SHOWN_OTHERWISE)
        after = self.everything()
        self.assertEqual(
            [value for n, value in enumerate(after[0]) if n != 1],
            [value for n, value in enumerate(before[0]) if n != 1],
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).blocked_by, ())
        self.assertEqual(self.everything(), before)

    cells = st.fixed_dictionaries(
        {
            "title": st.sampled_from([None, "", "a", "ä b", "it's"]),
            "seen": st.sampled_from([None, "2026-01-02 00:00:00", "2026-01-02 03:04:05.25"]),
            "sold": st.sampled_from([None, "Y", "N", "?"]),
            "price": st.sampled_from([None, "1", "1.5000", "1.2345"]),
            "weight": st.sampled_from([None, "0.1", "0.30000000000000004", "5"]),
            "note": st.sampled_from(["", "x"]),
        }
    )
    edits = st.fixed_dictionaries(
        {},
        optional={
            "title": st.sampled_from(["a", "z"]),
            "seen": st.sampled_from(["2026-01-02", "2027-03-04"]),
            "sold": st.sampled_from(["yes", "no"]),
            "price": st.sampled_from(["1.00", "1.50", "9.99"]),
            "weight": st.sampled_from(["0.1", "7.0"]),
            "note": st.sampled_from(["x", "y"]),
        },
    )

    @settings(max_examples=12, suppress_health_check=[HealthCheck.differing_executors])
    @given(st.lists(cells, min_size=1, max_size=3), st.lists(edits, min_size=4, max_size=4))
    def test_after_load_and_undo_every_column_is_as_it_was(self, held, edited):
        self.run_sql("DELETE FROM goods")
        names = "ABCD"
        self.fill(
            *(
                (names[n], *(row[name] for name in FIELDS[1:7]), None, "2020-01-01 01:01:01")
                for n, row in enumerate(held)
            )
        )
        before = self.everything()
        done = self.load(*({"no": names[n], **edit} for n, edit in enumerate(edited)))
        for row, edit in zip(self.everything(), edited, strict=False):
            former = dict(zip(names, before, strict=False)).get(row[0])
            for place, name in enumerate(FIELDS):
                if former is not None and name not in edit:
                    self.assertEqual(row[place], former[place], name)
        self.assertEqual(self.undo(done.number).blocked_by, ())
        self.assertEqual(self.everything(), before)

    def test_the_databases_own_defaults_stand_for_blanks_and_are_told(self):
        done = self.load({"no": "A", "note": None, "title": "t"}, {"no": "B", "note": "own", "title": None})
        self.assertEqual(self.run_sql("SELECT no, note FROM goods ORDER BY no"), [("A", "n/a"), ("B", "own")])
        self.assertEqual(
            [(each.key, each.field, each.sent, each.stored) for each in done.altered], [("A", "note", None, "n/a")]
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).status, "undone")
        self.assertEqual(self.everything(), [])

    def test_another_form_of_the_same_value_is_no_more_than_is_shown(self):
        self.fill(("A", "a", "2026-01-02 00:00:00", "Y", "1.5", "5", "", None, None))
        before = self.everything()
        done = self.load({"no": "A", "price": "2.00", "sold": "no", "weight": "6.0", "note": "n"})
        self.assertEqual((self.told, done.altered), ([], ()))
        self.undo(done.number)
        self.assertEqual(self.everything(), before)

    def test_what_a_trigger_makes_of_values_is_told_kept_and_undone(self):
        self.round_prices()
        self.fill(("A", "a", None, "Y", "1", None, "", None, None))
        before = self.everything()
        done = self.load({"no": "A", "price": "3.33"}, {"no": "N", "price": "5.55"}, {"no": "M", "price": "4.00"})
        self.assertEqual(
            {(each.key, each.field, each.sent, each.stored) for each in done.altered},
            {("A", "price", "3.33", "3.00"), ("N", "price", "5.55", "6.00")},
        )
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        messages = dict(self.system.outcome(done.number).select("key", "message").iter_rows())
        self.assertEqual(messages, {"A": "the system put 3.00 into Price, not 3.33", "N": "the system put 6.00 into Price, not 5.55", "M": None})  # fmt: skip
        self.assertEqual(self.undo(done.number).blocked_by, ())
        self.assertNotEqual(self.everything(), before, "the time of the last change is the database's own affair")
        self.assertEqual([row[:-1] for row in self.everything()], [row[:-1] for row in before])

    def test_a_field_that_was_not_sent_did_not_come_out_otherwise(self):
        self.fill(("A", "a", None, "Y", "1", None, "x", None, None))
        self.change_titles()
        done = self.load({"no": "A", "title": "a", "price": "2.00"}, {"no": "B", "title": "b", "price": "2.00"})
        self.assertEqual([(each.key, each.field, each.stored) for each in done.altered], [("B", "title", "changed")])

    def test_a_key_that_the_database_changes_is_followed(self):
        self.upper_keys()
        done = self.load({"no": "abc", "title": "x"}, {"no": "DEF", "title": "y"}, {"no": "ghi", "title": "z"})
        self.assertEqual(
            self.run_sql("SELECT no, title FROM goods ORDER BY no"), [("ABC", "x"), ("DEF", "y"), ("GHI", "z")]
        )
        self.assertEqual([(each.sent, each.stored) for each in done.altered], [("abc", "ABC"), ("ghi", "GHI")])
        self.assertTrue(verify_load(self.system, done.number, lambda step: None).ok)
        self.assertEqual(self.undo(done.number).status, "undone")
        self.assertEqual(self.everything(), [])

    def test_its_row_is_followed_whatever_stands_before_it(self):
        self.upper_keys()
        done = self.load({"no": "bad"}, {"no": "abc"}, wrong=[2])
        self.assertEqual([(each.row, each.key, each.stored) for each in done.altered], [(3, "abc", "ABC")])
        self.assertEqual(self.undo(done.number).blocked_by, ())

    def test_rows_that_the_database_leaves_out_are_named(self):
        self.take_away("Y")
        self.assertEqual(self.refused({"no": "Y"}, {"no": "B"}), {"Y": VANISHED})
        self.leave_out("X")
        self.assertEqual(self.refused({"no": "A"}, {"no": "X"}, {"no": "B"}), {"X": VANISHED})

    def test_a_constraint_that_is_checked_last_names_its_rows(self):
        # B refers to a row of the same load that comes later, which is right.
        told = self.refused(
            {"no": "A", "above": "GONE"},
            {"no": "B", "above": "C"},
            {"no": "C", "above": None},
            {"no": "D", "above": "LOST"},
        )
        self.assertEqual(set(told), {"A", "D"})
        self.load({"no": "B", "above": "C"}, {"no": "C", "above": None})


class OnSqlite(Own, SqliteFixture):
    pass


class OnPostgres(Own, PostgresFixture):
    SHOWN_OTHERWISE = [(3, "seen", "2026-01-02 03:04:05")]
