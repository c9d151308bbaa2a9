"""Databases of three kinds, drafted, loaded through the program without an edit, and taken back:
all as before, cell by cell.
"""

from __future__ import annotations

import sqlite3
import unittest
import uuid
from contextlib import closing

import psycopg

from tests.support import Program, new_postgres_database, postgres_address

FRAMEWORK = """
CREATE TABLE shop_category (id {uuid} PRIMARY KEY, code varchar(12) NOT NULL UNIQUE, name varchar(60) NOT NULL, created_at {moment} NOT NULL, updated_at {moment} NOT NULL);
CREATE TABLE shop_vendor (id {number}, vendor_no varchar(20) NOT NULL UNIQUE, name varchar(80) NOT NULL, notes text NOT NULL, attrs {json} NOT NULL);
CREATE TABLE shop_unit (code varchar(6) PRIMARY KEY, name varchar(30) NOT NULL);
CREATE TABLE shop_item (id {uuid} PRIMARY KEY, sku varchar(24) NOT NULL, name varchar(80) NOT NULL, category_id {uuid} NOT NULL REFERENCES shop_category (id),
  vendor_id integer, unit_code varchar(6) NOT NULL, barcode varchar(14), price_cents integer NOT NULL, qty_on_hand integer NOT NULL DEFAULT 0, notes text NOT NULL,
  attrs {json} NOT NULL, valid_from integer, version integer NOT NULL, created_at {moment} NOT NULL, updated_at {moment} NOT NULL, deleted_at {moment});
CREATE UNIQUE INDEX sku_live ON shop_item (sku) WHERE deleted_at IS NULL;
CREATE TABLE shop_item_history (id integer PRIMARY KEY, what text);
INSERT INTO shop_category VALUES ('{a}', 'ROPE', 'Ropes', '2026-01-01', '2026-01-01'), ('{b}', 'CHAIN', 'Chains', '2026-01-01', '2026-01-01');
INSERT INTO shop_vendor (vendor_no, name, notes, attrs) VALUES ('V-1', 'Keldrift', '', '{{}}'), ('V-2', 'Brannoch', '', '{{}}');
INSERT INTO shop_unit VALUES ('EA', 'each'), ('M', 'metre');
INSERT INTO shop_item VALUES ('{c}', 'R-1', 'Rope one', '{a}', 1, 'M', '2000000000015', 125, 7, '', '{{"a": 1}}', 20260101, 3, '2026-01-01', '2026-01-01', NULL);
INSERT INTO shop_item VALUES ('{d}', 'R-0', 'Gone', '{a}', 1, 'M', NULL, 125, 7, '', '{{}}', 20260101, 3, '2026-01-01', '2026-01-01', '2026-02-01');
"""
SHEET = (
    "Sku,Name,Category,Vendor,Unit,Barcode,Price,Valid from,Notes",
    "R-1,Rope one new,,,,,1.35,,",
    "R-2,Rope two,Ropes,Keldrift,metre,2000000000022,2.40,2027-03-01,new",
    "C-1,Chain,CHAIN,V-2,EA,,12.00,,",
)
OLD = """
CREATE TABLE firm (firm char(4) PRIMARY KEY, name varchar(40) NOT NULL);
CREATE TABLE artgroup (firm char(4) REFERENCES firm, grp char(6), name varchar(40) NOT NULL, PRIMARY KEY (firm, grp));
CREATE TABLE article (firm char(4) REFERENCES firm, article char(12), name varchar(60) NOT NULL, grp char(6), price double precision, last_sold char(8),
  PRIMARY KEY (firm, article), FOREIGN KEY (firm, grp) REFERENCES artgroup);
INSERT INTO firm VALUES ('01', 'Skerrow');
INSERT INTO artgroup VALUES ('01', 'ROPE', 'Ropes'), ('01', 'PAINT', 'Paints');
INSERT INTO article VALUES ('01', 'A1', 'One', 'ROPE', 1.5, '20260101'), ('01', 'A2', 'Two', 'PAINT', 1e300, NULL), ('01', 'A3', 'Three', 'PAINT', 'Infinity', NULL);
"""
TRIGGERS = """
CREATE TABLE unit (id serial PRIMARY KEY, code varchar(8) NOT NULL UNIQUE, name varchar(40) NOT NULL);
CREATE TABLE item (id serial PRIMARY KEY, item_no varchar(20) NOT NULL UNIQUE, name varchar(60) NOT NULL, unit_id int NOT NULL REFERENCES unit, search text, changed_by text, cost numeric(12, 4) CHECK (cost >= 0));
CREATE FUNCTION fill() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN NEW.search := upper(NEW.name); NEW.changed_by = current_user; RETURN NEW; END $$;
CREATE TRIGGER fills BEFORE INSERT OR UPDATE ON item FOR EACH ROW EXECUTE FUNCTION fill();
INSERT INTO unit (code, name) VALUES ('EA', 'each'), ('M', 'metre');
INSERT INTO item (item_no, name, unit_id, cost) VALUES ('I-1', 'First', 1, 2.5);
"""
OF_THE_SYSTEM = ("version", "updated_at", "changed_by")
"""Columns that a system's code writes with every change, so with the one that takes another back."""


class Drafted(Program):
    def start(self, script: str, postgres: bool) -> None:
        if postgres:
            self.database = new_postgres_database()
            self.url = postgres_address(self.database)
            with closing(psycopg.connect(self.url, autocommit=True)) as connection:
                connection.execute(script.encode())
        else:
            self.url = "sqlite:own.db"
            with closing(sqlite3.connect(self.folder / "own.db")) as database:
                database.executescript(script)
        self.kotrel("init", ".", "--system", self.url)
        self.assertIn("already a workspace", self.kotrel("init", "--learn", "--system", self.url, status=2).stderr)
        self.assertIn("drafted from", self.kotrel("init", "--learn").stdout)
        self.assertIn("already describes", self.kotrel("init", "--learn", status=2).stderr)
        self.kotrel("init", "--journal")

    def rows(self, query: str) -> list[tuple[object, ...]]:
        if self.url.startswith("sqlite"):
            with closing(sqlite3.connect(self.folder / "own.db")) as database:
                return database.execute(query).fetchall()
        with closing(psycopg.connect(self.url, autocommit=True)) as connection:
            return connection.execute(query.encode()).fetchall()

    def dump(self, table: str, columns: str, key: str) -> list[tuple[object, ...]]:
        return self.rows(f"SELECT {columns} FROM {table} ORDER BY {key}")

    def framework(self, postgres: bool) -> None:
        a, b, c, d = (str(uuid.UUID(int=n)) if postgres else uuid.UUID(int=n).hex for n in (1, 2, 3, 4))
        script = FRAMEWORK.format(
            uuid="uuid" if postgres else "char(32)", moment="timestamptz" if postgres else "datetime", a=a, b=b, c=c, d=d,
            number="serial PRIMARY KEY" if postgres else "integer PRIMARY KEY AUTOINCREMENT", json="jsonb" if postgres else "json",
        )  # fmt: skip
        self.start(script, postgres)
        lasting = "id, sku, name, category_id, vendor_id, unit_code, barcode, price_cents, qty_on_hand, notes, attrs, valid_from, created_at, deleted_at"
        before = self.dump("shop_item", lasting, "sku")
        self.write("new.csv", *SHEET)
        loaded = self.json("load", "new.csv", "--as", "shop_item", "--yes")
        self.assertEqual(loaded["records"]["shop_item"], {"new": 2, "changed": 1, "same": 0, "refused": 0})
        what = "sku, name, category_id, vendor_id, unit_code, price_cents, notes, valid_from, version"
        found = {row[0]: row[1:] for row in self.dump("shop_item", what, "sku")}
        self.assertEqual(str(found["C-1"][1]).replace("-", ""), b.replace("-", ""))
        self.assertEqual(found["R-2"][0:1] + found["R-2"][2:], ("Rope two", 1, "M", 240, "new", 20270301, 1))
        self.assertEqual((found["C-1"][2:], found["R-1"][4], found["R-1"][-1]), ((2, "EA", 1200, "", None, 1), 135, 4))
        [(number, same)] = self.rows(
            "SELECT count(DISTINCT id), sum(CASE WHEN created_at = updated_at THEN 1 ELSE 0 END) FROM shop_item WHERE sku IN ('C-1', 'R-2')"
        )
        self.assertEqual((number, same), (2, 2))
        self.assertTrue(self.json("verify", "L0001")["ok"])
        self.json("undo", "L0001", "--yes")
        self.assertEqual(self.dump("shop_item", lasting, "sku"), before)
        # An untouched export changes nothing; the record of changes is none of the records.
        self.json("export", "shop_item", "-o", "e.xlsx")
        self.assertEqual(self.json("load", "e.xlsx", "--yes")["status"], "nothing to do")
        self.assertNotIn(
            "shop_item_history",
            (self.folder / "system.toml").read_text("utf-8").replace("# Left", "").split("[record.")[1],
        )

    def test_a_frameworks_models_on_sqlite(self) -> None:
        self.framework(postgres=False)

    def test_a_frameworks_models_on_postgresql(self) -> None:
        self.framework(postgres=True)

    def test_an_old_system_with_padded_codes_and_figures_that_are_none(self) -> None:
        self.start(OLD, postgres=True)
        before = self.dump("article", "firm, article, name, grp, price::text, last_sold", "article")
        self.json("export", "article", "-o", "out.csv", "--fields", "price")
        held = dict(line.rsplit(",", 1) for line in (self.folder / "out.csv").read_text("utf-8-sig").splitlines()[1:])
        self.assertEqual(held, {"01,A1": "1.5000", "01,A2": "1e+300", "01,A3": "Infinity"})
        self.write(
            "a.csv", "Firm,Article,Name,Grp,Price", "01,A1,One new,PAINT,1.75", "01,A2,Two new,,", "01,A9,Nine,ROPE,9"
        )
        loaded = self.json("load", "a.csv", "--as", "article", "--yes")
        self.assertEqual(loaded["records"]["article"], {"new": 1, "changed": 2, "same": 0, "refused": 0})
        after = self.dump("article", "article, name, grp, price::text", "article")
        self.assertEqual([tuple(str(each).strip() for each in row) for row in after],
                         [("A1", "One new", "PAINT", "1.75"), ("A2", "Two new", "PAINT", "1e+300"), ("A3", "Three", "PAINT", "Infinity"), ("A9", "Nine", "ROPE", "9")])  # fmt: skip
        self.json("undo", "L0001", "--yes")
        self.assertEqual(self.dump("article", "firm, article, name, grp, price::text, last_sold", "article"), before)

    def test_numbers_behind_codes_and_triggers(self) -> None:
        self.start(TRIGGERS, postgres=True)
        text = (self.folder / "system.toml").read_text("utf-8")
        for kept in ("search", "changed_by"):
            self.assertRegex(text, rf'(?m)^{kept} = .*kept_by = "system".*a trigger of the database writes it')
        before = self.dump("item", "id, item_no, name, unit_id, cost", "id")
        self.write("i.csv", "Item no,Name,Unit,Cost", "I-1,First again,metre,2.75", "I-2,Second,EA,1")
        self.json("load", "i.csv", "--as", "item", "--yes")
        self.assertEqual([row[1:] for row in self.dump("item", "item_no, name, search, unit_id", "item_no")],
                         [("First again", "FIRST AGAIN", 2), ("Second", "SECOND", 1)])  # fmt: skip
        self.json("undo", "L0001", "--yes")
        self.assertEqual(self.dump("item", "id, item_no, name, unit_id, cost", "id"), before)

    def test_a_draft_that_fails_leaves_nothing(self) -> None:
        refused = self.kotrel("init", "new", "--system", "sqlite:none.db", "--learn", status=3)
        self.assertIn("none.db", refused.stderr)
        self.assertFalse((self.folder / "new").exists())
        self.assertIn("is no workspace", self.kotrel("init", "--journal", status=2).stderr)
        self.assertEqual(list(self.folder.iterdir()), [])


TYPES = """
CREATE DOMAIN sku AS varchar(12) CHECK (VALUE ~ '^[A-Z]');
CREATE TABLE part (code sku PRIMARY KEY, name text NOT NULL, tracking uuid,
  {one} varchar(10), {two} varchar(10));
INSERT INTO part (code, name) VALUES ('A1', 'One');
"""


class Types(Drafted):
    """What only the database's types know is a finding at its row, and the other rows can be loaded."""

    def test_a_type_refuses_its_rows_only(self) -> None:
        one, two = f"{'long_' * 12}aa", f"{'long_' * 12}bb"
        self.start(TYPES.format(one=one, two=two), postgres=True)
        lines = [f"A{n},Part {n},6f9619ff-8b86-d011-b42d-00cf4fc964{n:02d},x,y" for n in range(10, 40)]
        lines[7] = "A17,Part 17,not-a-uuid,x,y"
        lines[19] = "a29,Part 29,,x,y"
        self.write("p.csv", f"Code,Name,Tracking,{one},{two}", *lines)
        refused = self.json("load", "p.csv", "--as", "part", "--yes", "--new-codes", "all", status=1)
        self.assertEqual({each["row"] for each in refused["findings"] if each["severity"] == "error"}, {9, 21})
        done = self.json("load", "p.csv", "--as", "part", "--yes", "--new-codes", "all", "--good-rows")
        self.assertEqual((done["records"]["part"]["new"], done["records"]["part"]["refused"]), (28, 2))
        [row] = self.rows(f"SELECT {one}, {two} FROM part WHERE code = 'A10'")
        self.assertEqual(row, ("x", "y"))
        self.json("undo", done["load"], "--yes")
        self.assertEqual(self.rows("SELECT code FROM part"), [("A1",)])

    def test_the_rule_that_is_not_met_is_shown_for_all_rows_at_once(self) -> None:
        self.start(
            "CREATE DOMAIN amount AS numeric(14, 4) CHECK (VALUE >= 0);"
            "CREATE TABLE part (id integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, sku text NOT NULL, cost amount,"
            "  price numeric(12, 2), CONSTRAINT no_loss CHECK (price >= cost));"
            "CREATE UNIQUE INDEX ON part (lower(sku));",
            postgres=True,
        )
        # Unique in small letters is unique: nobody types the database's own number.
        self.assertIn('key = ["sku"]', (self.folder / "system.toml").read_text("utf-8"))
        self.write("p.csv", "Sku,Cost,Price", "B1,-1,4", "B2,5,4", "B3,3,4")
        refused = self.json("load", "p.csv", "--as", "part", "--yes", status=1)
        found = {each["row"]: each["message"] for each in refused["findings"] if each["severity"] == "error"}
        self.assertEqual(
            {row: words.partition("its ")[2] for row, words in found.items()},
            {
                2: "rule “amount_check” is not met: VALUE >= 0::numeric",
                3: "rule “no_loss” is not met: price >= cost::numeric",
            },
        )
        self.assertEqual(self.rows("SELECT * FROM part"), [])


class Untyped(Program):
    """SQLite columns without a type keep numbers as numbers and texts as texts."""

    def test_values_keep_their_class(self) -> None:
        with closing(sqlite3.connect(self.folder / "own.db")) as database:
            database.executescript(
                "CREATE TABLE thing (no PRIMARY KEY, name, price, code);"
                "INSERT INTO thing VALUES (1, 'One', 7, '01'), (2, 'Two', 7.5, '2');"
            )
        self.kotrel("init", ".", "--system", "sqlite:own.db")
        self.write("system.toml", '[system]\ndecimals = "plain"', "[record.thing]", 'key = ["no"]', "[record.thing.field]",
                   'no = { kind = "code", must = "always" }', 'name = { kind = "text" }', 'price = { kind = "money", decimals = 2 }', 'code = { kind = "code" }')  # fmt: skip
        self.kotrel("init", "--journal")

        def held() -> list[tuple[object, ...]]:
            with closing(sqlite3.connect(self.folder / "own.db")) as database:
                query = "SELECT typeof(no), no, typeof(price), price, typeof(code), code FROM thing ORDER BY no"
                return database.execute(query).fetchall()

        before = held()
        self.write("t.csv", "No,Name,Price,Code", "1,One new,8.25,", "3,Three,4,03")
        self.json("load", "t.csv", "--as", "thing", "--yes")
        self.assertEqual(held(), [("integer", 1, "real", 8.25, "text", "01"), ("integer", 2, "real", 7.5, "text", "2"),
                                  ("integer", 3, "integer", 4, "text", "03")])  # fmt: skip
        self.assertTrue(self.json("verify", "L0001")["ok"])
        self.json("undo", "L0001", "--yes")
        self.assertEqual(held(), before)


class Limits(Program):
    def test_whose_time_limit_it_was(self) -> None:
        name = new_postgres_database()
        url = postgres_address(name)
        with closing(psycopg.connect(url, autocommit=True)) as connection:
            connection.execute("CREATE TABLE t (code varchar(5) PRIMARY KEY, name text)")
            connection.execute(f"ALTER DATABASE {name} SET statement_timeout = '1ms'".encode())
        said = self.kotrel("init", ".", "--system", url, "--learn", status=None)
        if said.returncode:
            self.assertIn("for one step (statement_timeout)", said.stderr)


if __name__ == "__main__":
    unittest.main()
