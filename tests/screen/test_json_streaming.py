from __future__ import annotations

import json
import unittest
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from kotrel.screen import json_streaming as streaming
from kotrel.screen.json_streaming import Streamed, json_pieces

plain = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=4),
    lambda inner: st.lists(inner, max_size=7) | st.dictionaries(st.text(max_size=3), inner, max_size=4),
    max_leaves=20,
)


def streamed(value: Any) -> Any:
    """The same with every other list as one that is streamed."""
    if isinstance(value, dict):
        return {key: streamed(each) for key, each in value.items()}
    if isinstance(value, list):
        return Streamed(lambda: iter(value)) if len(value) % 2 else [streamed(each) for each in value]
    return value


class Streaming(unittest.TestCase):
    @given(plain)
    def test_what_is_streamed_reads_as_what_is_not(self, value: Any) -> None:
        usual, streaming.TOGETHER = streaming.TOGETHER, 2
        try:
            self.assertEqual(json.loads("".join(json_pieces(streamed(value)))), value)
        finally:
            streaming.TOGETHER = usual
