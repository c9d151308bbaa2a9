"""When two texts are the same code or word, written in another way."""

import unittest

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from kotrel.core.values.same_writing import are_same, form_of, same_form

TEXTS = st.text(
    st.sampled_from(" -_./,:'\"+%€$0129AaxßŁ²½−\u00a0\t\x1f()\u0130") | st.characters(exclude_categories=["Cs"]),
    max_size=12,
)


class SameWriting(unittest.TestCase):
    def test_what_is_the_same(self):
        for alike in (
            ("CHT-00030", "cht 00030", "CHT00030", "cht_00030.", "CHT\u201100030"),
            ("Q-05-C", "q05c", "Q 05 C"),
            ("10-20", "10.20", "10 / 20"),
            ("n/a", "N.A.", "na"),
            ("-1", "\u2212 1", "1-"),
            ("m²", "M2"),
            ("1/2", "½"),
        ):
            with self.subTest(alike):
                self.assertTrue(all(are_same(alike[0], each) for each in alike))

    def test_what_is_not(self):
        for words in (
            ("1-12", "11-2", "112", "-112"),
            ("1.5", "15", "-1.5", "+1.5"),
            ("+", "-", "--", "€", "$", "'", '"', ""),
            ("A", "A+", "A*B+"),
            ("10", "10 %", "#10"),
            ("ROP-00120", "ROP-0120", "R0P-00120"),
        ):
            with self.subTest(words):
                self.assertEqual(len(set(map(form_of, words))), len(words))

    @settings(deadline=None)
    @given(st.lists(TEXTS, min_size=1))
    def test_columns_and_single_texts_have_one_answer(self, texts):
        self.assertEqual(same_form(pl.Series(texts, dtype=pl.String)).to_list(), [form_of(text) for text in texts])


if __name__ == "__main__":
    unittest.main()
