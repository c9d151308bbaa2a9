"""A database of another shape: numbers for keys inside it, a company column, Y and N, sequences, its own names."""

from __future__ import annotations

import sqlite3
from contextlib import closing

import psycopg

from tests.support import Program, postgres_url

TABLES = """
CREATE TABLE measures (measure_id {number}, short varchar(6) NOT NULL UNIQUE, words varchar(30) NOT NULL);
CREATE TABLE goods_group (group_id {number}, group_no varchar(12) NOT NULL UNIQUE, label varchar(40) NOT NULL, inside integer REFERENCES goods_group (group_id));
CREATE TABLE goods (goods_id {sequence}, company char(2) NOT NULL, goods_no varchar(16) NOT NULL, descr varchar(60) NOT NULL,
  measure integer NOT NULL REFERENCES measures (measure_id), grp integer REFERENCES goods_group (group_id),
  cost_price numeric(12, 4), active char(1) DEFAULT 'Y', on_stock numeric(12, 3), UNIQUE (company, goods_no));
INSERT INTO measures (short, words) VALUES ('EA', 'each'), ('M', 'metre');
INSERT INTO goods_group (group_no, label) VALUES ('10', 'Rope');
INSERT INTO goods (goods_id, company, goods_no, descr, measure, grp, cost_price, active, on_stock) VALUES
  (901, '01', '00042', 'Old rope', 2, 1, 1.5, 'Y', 7), (902, '02', '00042', 'Theirs', 1, NULL, 9.1234, 'N', 1);
"""

DESCRIPTION = """
[system]
title = "The old ledger"
decimals = "plain"
{schema}

[record.unit]
key = ["code"]
called = "name"
store = {{ table = "measures", id = "measure_id", columns = {{ code = "short", name = "words" }} }}
[record.unit.field]
code = {{ kind = "code", length = 6, must = "always" }}
name = {{ kind = "text", length = 30, must = "new" }}

[record.category]
key = ["code"]
called = "name"
path = "parent"
store = {{ table = "goods_group", id = "group_id", columns = {{ code = "group_no", name = "label", parent = "inside" }} }}
[record.category.field]
code = {{ kind = "code", length = 12, must = "always", synonyms = ["group"] }}
name = {{ kind = "text", length = 40, must = "new" }}
parent = {{ kind = "reference", to = "category" }}

[record.item]
key = ["code"]
called = "description"
[record.item.store]
table = "goods"
fixed = {{ company = "01" }}
yes_no = ["Y", "N"]
{made}
columns = {{ code = "goods_no", description = "descr", unit = "measure", category = "grp", cost = "cost_price", sold = "active", on_hand = "on_stock" }}
[record.item.field]
code = {{ kind = "code", length = 16, must = "always" }}
description = {{ kind = "text", length = 60, must = "new" }}
unit = {{ kind = "reference", to = "unit", must = "new" }}
category = {{ kind = "reference", to = "category" }}
cost = {{ kind = "money", decimals = 4, least = 0 }}
sold = {{ kind = "yes_no" }}
on_hand = {{ kind = "quantity", kept_by = "system" }}
"""

GOODS = """SELECT g.company, g.goods_no, g.descr, m.short, c.group_no, g.cost_price, g.active, g.on_stock FROM goods g
  JOIN measures m ON m.measure_id = g.measure LEFT JOIN goods_group c ON c.group_id = g.grp ORDER BY 1, 2"""


class OtherShapes(Program):
    def play(self, address: str, query, description: str) -> None:
        self.kotrel(
            "init",
            ".",
            "--system",
            address,
            "--learn",
            "--journal",
            *(["--schema", "old"] if "postgres" in address else []),
        )
        draft = (self.folder / "system.toml").read_text()
        for expected in ('store = { table = "goods", id = "goods_id" }', 'measure = { kind = "reference", to = "measures", must = "new" }',
                         'group_no = { kind = "code", length = 12, must = "always" }', 'inside = { kind = "reference", to = "goods_group" }',
                         'cost_price = { kind = "money", decimals = 4 }', 'key = ["company", "goods_no"]'):  # fmt: skip
            if "store = {" in expected:
                expected = 'id = "goods_id"'
            self.assertIn(expected, draft)
        self.assertEqual(self.json("records")["records"][-1]["record"], "goods", "the draft is a description")
        (self.folder / "system.toml").write_text(description)
        before = [tuple(map(str, row)) for row in query(GOODS)]
        self.write("groups.csv", "Group,Name,Parent", "30,Steel rope,20", "20,Wire,", "10,Ropes,")
        self.write(
            "goods.csv",
            "Code,Description,Unit,Category,Cost,Sold",
            "00042,,,20,,no",
            "00043,Steel wire,M,30,2.25,yes",
            "00044,Hook,each,,,",
        )
        counts = self.json("load", "goods.csv", "groups.csv", "--yes")
        self.assertEqual(
            {r: (c["new"], c["changed"]) for r, c in counts["records"].items()}, {"category": (2, 1), "item": (2, 1)}
        )
        after = [tuple(map(str, row)) for row in query(GOODS)]
        self.assertEqual(
            [(row[0], row[1], row[3], row[4], float(row[5]) if row[5] != "None" else None, row[6]) for row in after],
            [("01", "00042", "M", "20", 1.5, "N"), ("01", "00043", "M", "30", 2.25, "Y"), ("01", "00044", "EA", "None", None, "Y"),
             ("02", "00042", "EA", "None", 9.1234, "N")],
        )  # fmt: skip
        self.assertEqual(
            query(
                "SELECT p.group_no FROM goods_group g JOIN goods_group p ON p.group_id = g.inside WHERE g.group_no = '30'"
            ),
            [("20",)],
        )
        self.assertTrue(self.json("verify", "L0001")["ok"])
        self.assertEqual(self.json("preview", "goods.csv")["records"]["item"]["same"], 3)
        self.assertEqual(self.json("undo", "L0001", "--yes")["status"], "undone")
        self.assertEqual([tuple(map(str, row)) for row in query(GOODS)], before)

    def test_sqlite(self):
        path = self.folder / "ledger.db"
        with closing(sqlite3.connect(path)) as database:
            database.executescript(TABLES.format(number="integer PRIMARY KEY", sequence="integer PRIMARY KEY"))

        def query(statement):
            with closing(sqlite3.connect(path)) as database:
                return database.execute(statement).fetchall()

        self.play(f"sqlite:{path}", query, DESCRIPTION.format(schema="", made=""))

    def test_postgresql(self):
        number = "integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY"
        with psycopg.connect(postgres_url(), autocommit=True) as connection:
            connection.execute("CREATE SCHEMA old")
            connection.execute("SET search_path = old")
            connection.execute("CREATE SEQUENCE goods_numbers START 5000")
            connection.execute(TABLES.format(number=number, sequence="bigint PRIMARY KEY").encode())

        def query(statement):
            with psycopg.connect(postgres_url(), autocommit=True) as connection:
                connection.execute("SET search_path = old")
                return connection.execute(statement.encode()).fetchall()

        made = 'made = { goods_id = "old.goods_numbers" }'
        self.play(postgres_url(), query, DESCRIPTION.format(schema='schema = "old"', made=made))
        self.assertEqual(query("SELECT last_value FROM goods_numbers"), [(5001,)])
        journal = "SELECT count(*) FROM information_schema.tables WHERE table_schema = 'kotrel'"
        self.assertEqual(query(journal), [(2,)], "the journal stands in a schema of its own")
