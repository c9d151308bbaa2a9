"""What people do not see of a sheet, although it counts as all the rest does: a filter hides rows, and many forget it."""

from __future__ import annotations

from dataclasses import dataclass

from kotrel.core.phrases import count, listed


@dataclass(frozen=True)
class Hidden:
    """What is hidden of a sheet.

    Attributes:
        sheet: whether it is hidden as a whole.
        rows: the hidden ones among its rows, from 1.
        columns: the letters of the hidden ones among its columns.
    """

    sheet: bool = False
    rows: tuple[int, ...] = ()
    columns: tuple[str, ...] = ()

    @property
    def any(self) -> bool:
        return self.sheet or bool(self.rows or self.columns)

    def in_words(self) -> list[str]:
        """One sentence for each."""
        said = ["the sheet is hidden"] if self.sheet else []
        if self.rows:
            said.append(f"{count(len(self.rows), 'hidden row')} included: {listed([str(row) for row in self.rows], 5)}")
        if self.columns:
            said.append(f"{count(len(self.columns), 'hidden column')} included: {listed(self.columns, 5)}")
        return said


SEEN = Hidden()
"""Nothing is hidden."""
