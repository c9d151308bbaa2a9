"""The files that the guides work on: ``kotrel demo --short`` leaves them in its workspace."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from pathlib import Path

import openpyxl
from openpyxl.styles import Font, PatternFill

from kotrel.practice import fastenings_list, loft_opening, story, supplier_prices


def write_guide_files(folder: Path) -> None:
    """Every sheet that a guide names."""
    story.write_new_range(folder / "new-items.xlsx")
    story.write_new_range_fixed(folder / "new-items-fixed.xlsx", slip=False)
    fastenings_list.write_list(folder / "brannoch-27.xlsx")
    supplier_prices.write_price_list(folder / "keldrift-spring.xlsx", slip=False)
    supplier_prices.write_rules(folder)
    story.write_new_colours(folder / "vellamar-colours.xlsx")
    _write_next_colours(folder / "vellamar-colours.xlsx", folder / "vellamar-next.xlsx")
    loft_opening.write_loft(folder / "loft.xlsx", slips=False)
    for name, lines in _TEXTS.items():
        (folder / name).write_text("\n".join([*lines, ""]), "utf-8")
    _write_shop_list(folder / "shop-list-template.xlsx")
    _write_back_office(folder / "back-office.db")


def _write_shop_list(path: Path) -> None:
    """A list that the shop wants: a title, headings, an example row, and a sheet that explains it."""
    book = openpyxl.Workbook()
    sheet = book.active
    sheet.title = "Price list"
    sheet.append(["Skerrow Chandlers: list for the counter"])
    sheet.append(["Art. no.*", "Article*", "Unit", "SHOP price", "Fleet price", "Stock QUAY"])
    sheet.append(["FST-00010", "Example", "EA", 1.5, 1.2, 10])
    sheet["A1"].font = Font(bold=True, size=14)
    for cell, width in zip(sheet[2], (14, 44, 8, 12, 12, 12), strict=True):
        cell.font = Font(bold=True, color="FFFFFF")
        cell.fill = PatternFill("solid", start_color="2F5D62")
        sheet.column_dimensions[cell.column_letter].width = width
    for letter in "DE":
        sheet[f"{letter}3"].number_format = "0.00"
    sheet.freeze_panes = "A3"
    notes = book.create_sheet("Notes")
    notes.append(["One row for each article. Replace the example."])
    book.save(path)


def _write_next_colours(now: Path, following: Path) -> None:
    """The next list of the same supplier: two costs higher, one colour new, one gone."""
    book = openpyxl.load_workbook(now)
    sheet = book["Colours"]
    sheet.cell(4, 6).value = "20,41"
    sheet.cell(5, 6).value = "21,42"
    sheet.delete_rows(15)
    new = (
        "Hull paint satin",
        "copper",
        "tin of 2.5 l",
        "Hull paint",
        2010002800995,
        "31,50",
        "52,90",
        "V-013",
        "12 cm x 8 cm x 20 cm",
    )
    for column, value in enumerate(new, start=1):
        sheet.cell(15, column).value = value
    book.save(following)


_TEXTS = {
    "promotion.csv": [
        "Price list,Item,From date,To date,Price",
        "SHOP,ROP-00010,2027-07-01,2027-07-31,0.49",
        "SHOP,ROP-00020,2027-07-01,2027-07-31,0.59",
        "SHOP,ROP-00030,2027-07-01,2027-07-31,0.55",
    ],
    "other-program.csv": [
        "Artikelnummer;Bezeichnung;Einheit;Warengruppe;Einkaufspreis;Verkaufspreis",
        "HLM-1001;Segeltuch 380 g;M;Gewebe;12,80;21,50",
        "HLM-1002;Segeltuch 450 g;M;Gewebe;14,10;23,90",
        "HLM-1003;Takelgarn gewachst;Stück;Leinen;2,35;4,20",
    ],
    "orders.csv": [
        "Document,Date,Customer,Item,Quantity,Price",
        "WEB-7001,2026-11-30,C-1004,ROP-00010,25,0.65",
        "WEB-7001,2026-11-30,C-1004,FST-00010,10,1.90",
        "WEB-7002,2026-11-30,C-1002,ROP-00020,100,0.70",
    ],
    "shop-items.csv": ["Item code", "ROP-00010", "ROP-00020", "FST-00010", "FST-00020"],
    "for-the-till.csv": [
        "ArtNo;Text;Unit;Group;Price",
        "ROP-41000;Braided rope 6 mm sea-green;M;ROPE-BRAID;1,45",
        "ROP-41010;Braided rope 8 mm sea-green;M;ROPE-BRAID;2,10",
        "ROP-00060;Braided rope 4 mm white;M;ROPE-BRAID;0,95",
    ],
}  # fmt: skip


_BACK_OFFICE = """
create table unit(code text primary key, name text not null);
create table product_group(code text primary key, name text not null);
create table product(
    product_no varchar(16) primary key, name varchar(60) not null, unit text not null references unit,
    product_group text not null references product_group, purchase_price decimal(10,2), sales_price decimal(10,2),
    qty_on_hand decimal(12,3) default 0);
insert into unit values ('EA', 'each'), ('M', 'metre');
insert into product_group values ('ROPE', 'Rope'), ('CHAIN', 'Chain');
insert into product values ('P-100', 'Rope 6 mm', 'M', 'ROPE', 0.55, 0.95, 120), ('P-101', 'Chain 8 mm', 'M', 'CHAIN', 5.30, 9.10, 40);
"""


def _write_back_office(path: Path) -> None:
    """A small database, as another program would have it: to be connected, learned and loaded."""
    with closing(sqlite3.connect(path)) as database:
        database.executescript(_BACK_OFFICE)
        database.commit()
