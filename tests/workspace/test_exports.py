"""What an export remembers: whole, or told to be damaged."""

import tempfile
import unittest
from datetime import datetime
from pathlib import Path

import polars as pl

from kotrel.core.errors import OutOfReach
from kotrel.workspace.exports import export_stamped, remember_export

ROWS = pl.DataFrame({"code": ["A", "B"], "cost": ["1.00", None]})


class Remembered(unittest.TestCase):
    def test_no_changed_byte_is_taken_for_an_edit(self):
        hidden = Path(self.enterContext(tempfile.TemporaryDirectory()))
        remember_export(hidden, "s", {"item": ROWS}, None, Path("a.xlsx"), datetime(2027, 1, 9))
        export = export_stamped(hidden, "s")
        self.assertTrue(export.rows("item", ROWS).equals(ROWS))
        export.remember_loaded("item", ROWS.with_columns(pl.lit(True).alias("loaded cost")), 3)
        for path in sorted(export.folder.glob("*.rows")):
            sound = path.read_bytes()
            for at in range(0, len(sound), 7):
                path.write_bytes(sound[:at] + bytes([sound[at] ^ 1]) + sound[at + 1 :])
                with self.subTest(path=path.name, at=at), self.assertRaises(OutOfReach):
                    export.rows("item", ROWS)
                    export.loaded("item", ["code"], {3})
            path.write_bytes(sound)
        self.assertEqual(export.loaded("item", ["code"], {3})["cost"].to_list(), ["1.00", None])
        self.assertEqual([path.suffix for path in export.folder.iterdir()].count(".soon"), 0)


if __name__ == "__main__":
    unittest.main()
