"""The made-up business: its items, by a generator that gives the same ones every time."""

from __future__ import annotations

import random
from decimal import Decimal

import polars as pl
from msgspec import Struct

from kotrel.core.values.code_formats import gtin_check_digit

SEED = 20
ITEMS = 1_200


class ItemFamily(Struct, frozen=True):
    """Items of one kind: three letters of their codes, where they belong, and what varies."""

    letters: str
    category: str
    unit: str
    brand: str
    vendor: str
    words: str
    variants: tuple[str, ...]
    more: tuple[str, ...]
    cost: tuple[str, str]
    tax: str = "STD"
    lots: bool = False
    serials: bool = False
    variant_parent: bool = False


_SIZES_MM = ("3 mm", "4 mm", "5 mm", "6 mm", "8 mm", "10 mm", "12 mm", "14 mm", "16 mm", "18 mm", "20 mm", "24 mm")
_COLOURS = ("white", "navy", "red", "black", "orange")
_PAINTS = ("white", "signal red", "harbour blue", "grey", "black", "cream", "moss green", "yellow")

FAMILIES = (
    ItemFamily("ROP", "ROPE-BRAID", "M", "KELD", "KELDRIFT", "Braided rope", _SIZES_MM, _COLOURS, ("0.35", "6.90")),
    ItemFamily("ROP", "ROPE-TWIST", "M", "KELD", "KELDRIFT", "Twisted rope", _SIZES_MM, ("natural", "white", "black"), ("0.28", "4.20")),
    ItemFamily("ROP", "ROPE-STATIC", "M", "KELD", "KELDRIFT", "Low-stretch rope", _SIZES_MM[:9], _COLOURS, ("1.90", "14.50")),
    ItemFamily("ROP", "ROPE-CORD", "M", "HAVSK", "KELDRIFT", "Whipping twine", ("1 mm", "1.5 mm", "2 mm"), _COLOURS, ("0.05", "0.30")),
    ItemFamily("CHN", "CHAIN-ANCHOR", "M", "BRANN", "BRANNOCH", "Anchor chain", _SIZES_MM[3:], ("galvanised", "stainless"), ("4.10", "38.00")),
    ItemFamily("CHN", "CHAIN-MOOR", "M", "BRANN", "BRANNOCH", "Mooring chain", _SIZES_MM[4:], ("galvanised", "black"), ("3.20", "29.00")),
    ItemFamily("CHN", "CHAIN-LINK", "EA", "BRANN", "BRANNOCH", "Joining link", _SIZES_MM[3:], ("galvanised", "stainless"), ("1.10", "19.00")),
    ItemFamily("FST", "FASTENING-SHACKLE", "EA", "BRANN", "BRANNOCH", "Bow shackle", _SIZES_MM[2:], ("galvanised", "stainless", "long"), ("0.90", "24.00")),
    ItemFamily("FST", "FASTENING-SCREW", "BOX", "BRANN", "BRANNOCH", "Countersunk screw",
           ("3 × 12", "3 × 20", "4 × 16", "4 × 25", "5 × 30", "5 × 40", "6 × 50"), ("brass", "stainless A4", "bronze"), ("4.80", "46.00")),
    ItemFamily("FST", "FASTENING-RIVET", "BOX", "HAVSK", "BRANNOCH", "Blind rivet", ("3.2 × 8", "4 × 10", "4.8 × 12"), ("aluminium", "steel", "copper"), ("3.10", "12.00")),
    ItemFamily("FST", "FASTENING-CLEAT", "EA", "BRANN", "BRANNOCH", "Horn cleat", ("100 mm", "150 mm", "200 mm", "250 mm"), ("nylon", "alloy", "stainless"), ("1.60", "31.00")),
    ItemFamily("PNT", "PAINT-HULL", "TIN", "VELLA", "VELLAMAR", "Hull paint", ("gloss", "satin", "anti-slip", "eroding", "hard"), _PAINTS, ("18.40", "62.00"), lots=True),
    ItemFamily("PNT", "PAINT-DECK", "TIN", "VELLA", "VELLAMAR", "Deck paint", ("matt", "sanded"), _PAINTS, ("16.20", "39.00"), lots=True),
    ItemFamily("PNT", "PAINT-PRIME", "TIN", "VELLA", "VELLAMAR", "Primer", ("metal", "wood", "epoxy"), ("grey", "white", "red oxide"), ("14.90", "44.00"), lots=True),
    ItemFamily("RES", "RESIN-EPOXY", "KG", "VELLA", "VELLAMAR", "Epoxy resin", ("slow", "standard", "fast"), ("clear", "amber"), ("11.00", "27.00"), lots=True),
    ItemFamily("RES", "RESIN-FILLER", "KG", "VELLA", "VELLAMAR", "Filler", ("light", "structural", "fine"), ("white", "grey"), ("7.50", "21.00"), lots=True),
    ItemFamily("SAF", "SAFETY-FLARE", "EA", "TIDEW", "TIDEWARDEN", "Hand flare", ("red", "white", "orange smoke"), ("single", "pack of 4"), ("6.40", "48.00"), lots=True),
    ItemFamily("SAF", "SAFETY-RAFT", "EA", "TIDEW", "TIDEWARDEN", "Life raft", ("4 persons", "6 persons", "8 persons"), ("valise", "canister"), ("690.00", "1980.00"), serials=True),
    ItemFamily("SAF", "SAFETY-AID", "SET", "TIDEW", "TIDEWARDEN", "First-aid kit", ("coastal", "offshore"), ("bag", "case"), ("21.00", "139.00"), "RED", lots=True),
    ItemFamily("SAF", "SAFETY-VEST", "EA", "TIDEW", "TIDEWARDEN", "Life vest", ("100 N", "150 N", "275 N"), ("child", "adult", "large"), ("19.00", "128.00")),
    ItemFamily("ELC", "ELECTRONICS-RADIO", "EA", "ORL", "ORLUNE", "Handheld radio", ("3 W", "5 W", "6 W floating"), ("black", "yellow"), ("74.00", "260.00"), serials=True),
    ItemFamily("ELC", "ELECTRONICS-BEACON", "EA", "ORL", "ORLUNE", "Rescue beacon", ("personal", "vessel"), ("manual", "automatic"), ("168.00", "540.00"), serials=True),
    ItemFamily("ELC", "ELECTRONICS-CABLE", "M", "ORL", "ORLUNE", "Tinned cable", ("1.5 mm²", "2.5 mm²", "4 mm²", "6 mm²", "10 mm²"), ("red", "black", "two-core"), ("0.42", "5.10")),
    ItemFamily("ENG", "ENGINE-FILTER", "EA", "HAVSK", "BRANNOCH", "Filter", ("oil", "fuel", "air", "water"), tuple(f"H{n}" for n in range(10, 34)), ("4.20", "39.00")),
    ItemFamily("ENG", "ENGINE-BELT", "EA", "HAVSK", "BRANNOCH", "Drive belt", tuple(f"{n} mm" for n in range(700, 1300, 25)), ("V", "ribbed"), ("5.60", "34.00")),
    ItemFamily("ENG", "ENGINE-IMPELLER", "EA", "HAVSK", "BRANNOCH", "Impeller", tuple(f"size {n}" for n in range(1, 17)), ("neoprene", "nitrile"), ("9.80", "56.00")),
    ItemFamily("CHT", "CHARTS-PAPER", "EA", "HAVSK", "TIDEWARDEN", "Chart", tuple(f"sheet {n}" for n in range(1, 41)), ("flat", "folded"), ("14.00", "24.00"), "ZERO"),
    ItemFamily("CHT", "CHARTS-BOOK", "EA", "HAVSK", "TIDEWARDEN", "Pilot book", tuple(f"volume {n}" for n in range(1, 9)), ("bound", "spiral"), ("19.00", "41.00"), "ZERO"),
    ItemFamily("CLO", "CLOTHING-OILSKIN", "EA", "HAVSK", "TIDEWARDEN", "Oilskin jacket", ("XS", "S", "M", "L", "XL", "XXL"), ("yellow", "navy", "red"), ("44.00", "118.00"), variant_parent=True),
    ItemFamily("CLO", "CLOTHING-BOOT", "PAIR", "HAVSK", "TIDEWARDEN", "Deck boots", tuple(str(n) for n in range(36, 48)), ("white", "navy"), ("24.00", "69.00"), variant_parent=True),
)  # fmt: skip

COLUMNS = (
    "code", "description", "kind", "unit", "category", "brand", "vendor", "vendor_code", "part_number", "condition",
    "barcode", "cost", "price", "recommended_price", "tax_class", "discount_allowed", "lot_tracked", "serial_tracked",
    "weight", "weight_unit", "parent_item", "size", "color", "may_be_bought", "may_be_sold", "publish_online", "archived",
)  # fmt: skip


def barcode(number: int) -> str:
    """A 13-digit barcode of the range for use inside a company (201…), with its check digit."""
    body = f"201{number:09d}"
    return body + gtin_check_digit(body)


def items(count: int = ITEMS) -> pl.DataFrame:
    """The item master: ``count`` items in canonical text, the same every time."""
    chance = random.Random(SEED)
    made: list[dict[str, str | None]] = []
    numbers: dict[str, int] = {}
    grade = 0
    while len(made) < count:
        grade += 1
        for family in FAMILIES:
            made += _family(family, grade, numbers, chance, count - len(made))
    return pl.DataFrame(made, schema=dict.fromkeys(COLUMNS, pl.String))


def _family(
    family: ItemFamily, grade: int, numbers: dict[str, int], chance: random.Random, room: int
) -> list[dict[str, str | None]]:
    made: list[dict[str, str | None]] = []
    low, high = Decimal(family.cost[0]), Decimal(family.cost[1])
    line = "" if grade == 1 else f", line {grade}"
    parent: str | None = None
    if family.variant_parent:
        made.append(_item(family, f"{family.words}{line}", (low + high) / 2, numbers, chance))
        parent = made[0]["code"]
        made[0]["kind"] = "product"
        made[0]["barcode"] = None
    for index, variant in enumerate(family.variants):
        for more in family.more:
            share = Decimal(index) / max(len(family.variants) - 1, 1)
            cost = low + (high - low) * share * share + Decimal(chance.randrange(0, 40)) / 100 * low
            item = _item(family, f"{family.words} {variant} {more}{line}", cost, numbers, chance)
            if parent:
                item |= {"parent_item": parent, "size": variant, "color": more}
            made.append(item)
    return made[: max(room, 0)]


def _item(
    family: ItemFamily, description: str, cost: Decimal, numbers: dict[str, int], chance: random.Random
) -> dict[str, str | None]:
    number = numbers[family.letters] = numbers.get(family.letters, 0) + 10
    running = sum(numbers.values())
    price = (cost * Decimal(chance.choice(("1.45", "1.60", "1.75"))) * 20).quantize(Decimal(1)) / 20
    return {
        "code": f"{family.letters}-{number:05d}",
        "description": description,
        "kind": "stocked",
        "unit": family.unit,
        "category": family.category,
        "brand": family.brand,
        "vendor": family.vendor,
        "vendor_code": f"{family.vendor[:2]}{number:05d}",
        "part_number": f"{family.brand}-{running}",
        "condition": "new",
        "barcode": barcode(running) if family.unit != "M" else None,
        "cost": f"{cost:.4f}",
        "price": f"{price:.2f}",
        "recommended_price": f"{price * Decimal('1.10'):.2f}",
        "tax_class": family.tax,
        "discount_allowed": "yes" if price < 500 else "no",
        "lot_tracked": "yes" if family.lots else "no",
        "serial_tracked": "yes" if family.serials else "no",
        "weight": f"{chance.randrange(20, 9000) / 1000:.3f}",
        "weight_unit": "KG",
        "may_be_bought": "yes",
        "may_be_sold": "yes",
        "publish_online": chance.choice(("yes", "yes", "no")),
        "archived": "no",
    }
