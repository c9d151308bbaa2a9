"""The made-up business: its base lists. Every name and code is invented."""

from __future__ import annotations

UNITS = [
    # code, name, measure, decimals, UN/ECE Recommendation 20 code
    ("EA", "each", "count", "0", "EA"),
    ("PAIR", "pair", "count", "0", "PR"),
    ("M", "metre", "length", "2", "MTR"),
    ("CM", "centimetre", "length", "1", "CMT"),
    ("COIL", "coil of 200 m", "count", "0", None),
    ("BOX", "box of 100", "count", "0", None),
    ("L", "litre", "volume", "3", "LTR"),
    ("TIN", "tin of 2.5 l", "count", "0", "TN"),
    ("KG", "kilogram", "mass", "3", "KGM"),
    ("SET", "set", "count", "0", "SET"),
]

WAREHOUSES = [
    ("QUAY", "Quay-side shop"),
    ("LOFT", "Rigging loft"),
    ("SHED", "Paint shed"),
    ("TENDER", "Delivery boat"),
]

BINS_EACH = {"QUAY": (6, "ABCD"), "LOFT": (4, "ABC"), "SHED": (5, "ABC"), "TENDER": (1, "AB")}
"""Warehouse → how many shelves, and the letters of their places."""

CATEGORIES = [
    # code, name, parent
    ("ROPE", "Rope", None),
    ("ROPE-BRAID", "Braided rope", "ROPE"),
    ("ROPE-TWIST", "Twisted rope", "ROPE"),
    ("ROPE-STATIC", "Low-stretch rope", "ROPE"),
    ("ROPE-CORD", "Small cord and twine", "ROPE"),
    ("CHAIN", "Chain", None),
    ("CHAIN-ANCHOR", "Anchor chain", "CHAIN"),
    ("CHAIN-MOOR", "Mooring chain", "CHAIN"),
    ("CHAIN-LINK", "Links and swivels", "CHAIN"),
    ("FASTENING", "Fastenings", None),
    ("FASTENING-SHACKLE", "Shackles", "FASTENING"),
    ("FASTENING-SCREW", "Screws and bolts", "FASTENING"),
    ("FASTENING-RIVET", "Rivets", "FASTENING"),
    ("FASTENING-CLEAT", "Cleats", "FASTENING"),
    ("PAINT", "Paint", None),
    ("PAINT-HULL", "Hull paint", "PAINT"),
    ("PAINT-DECK", "Deck paint", "PAINT"),
    ("PAINT-PRIME", "Primers", "PAINT"),
    ("RESIN", "Resin", None),
    ("RESIN-EPOXY", "Epoxy resin", "RESIN"),
    ("RESIN-FILLER", "Fillers", "RESIN"),
    ("SAFETY", "Safety gear", None),
    ("SAFETY-FLARE", "Flares", "SAFETY"),
    ("SAFETY-RAFT", "Life rafts", "SAFETY"),
    ("SAFETY-AID", "First aid", "SAFETY"),
    ("SAFETY-VEST", "Life vests", "SAFETY"),
    ("ELECTRONICS", "Electronics", None),
    ("ELECTRONICS-RADIO", "Handheld radios", "ELECTRONICS"),
    ("ELECTRONICS-BEACON", "Beacons", "ELECTRONICS"),
    ("ELECTRONICS-CABLE", "Cable", "ELECTRONICS"),
    ("ENGINE", "Engine spares", None),
    ("ENGINE-FILTER", "Filters", "ENGINE"),
    ("ENGINE-BELT", "Belts", "ENGINE"),
    ("ENGINE-IMPELLER", "Impellers", "ENGINE"),
    ("CHARTS", "Charts", None),
    ("CHARTS-PAPER", "Paper charts", "CHARTS"),
    ("CHARTS-BOOK", "Pilot books", "CHARTS"),
    ("CLOTHING", "Clothing", None),
    ("CLOTHING-OILSKIN", "Oilskins", "CLOTHING"),
    ("CLOTHING-BOOT", "Deck boots", "CLOTHING"),
]

BRANDS = [
    ("KELD", "Keld"),
    ("BRANN", "Brann"),
    ("VELLA", "Vella"),
    ("TIDEW", "Tidew"),
    ("ORL", "Orl"),
    ("HAVSK", "Havsk"),
]

TAX_CLASSES = [("STD", "Standard rate", "20.00"), ("RED", "Reduced rate", "7.00"), ("ZERO", "No tax", "0.00")]

ACCOUNTS = [
    ("OPENING", "Opening balance", "opening balance"),
    ("ADJUST", "Stock adjustment", "adjustment"),
    ("SALES-COST", "Cost of sales", "cost of sales"),
]

PRICE_LISTS = [
    ("SHOP", "Retail", "EUR", "2", None, "yes"),
    ("YARD", "Yard trade", "EUR", "2", None, "yes"),
    ("FLEET", "Fleet contract", "EUR", "2", "SHOP", "yes"),
]

VENDORS = [
    # code, name, street, post code, city, country, e-mail, phone, currency
    (
        "KELDRIFT",
        "Keldrift Cordage",
        "Ropewalk 3",
        "01470",
        "Keldrift",
        "ZZ",
        "orders@keldrift.example",
        "+00 147 20",
        "EUR",
    ),
    (
        "BRANNOCH",
        "Brannoch Fastenings",
        "Forge Lane 11",
        "02210",
        "Brannoch",
        "ZZ",
        "desk@brannoch.example",
        "+00 221 08",
        "EUR",
    ),
    (
        "VELLAMAR",
        "Vellamar Coatings",
        "Solvent Quay 2",
        "03050",
        "Vellamar",
        "ZZ",
        "sales@vellamar.example",
        "+00 305 61",
        "EUR",
    ),
    (
        "TIDEWARDEN",
        "Tidewarden Safety",
        "Beacon Road 40",
        "01402",
        "Tidewarden",
        "ZZ",
        "hello@tidewarden.example",
        "+00 140 55",
        "EUR",
    ),
    (
        "ORLUNE",
        "Orlune Marine Electronics",
        "Mast Yard 7",
        "04120",
        "Orlune",
        "ZZ",
        "trade@orlune.example",
        "+00 412 33",
        "EUR",
    ),
]

CUSTOMERS = [
    # code, name, street, post code, city, country, e-mail, phone, price list, terms in days
    (
        "C-1001",
        "Hallan Boatyard",
        "Slipway 1",
        "01410",
        "Hallan",
        "ZZ",
        "yard@hallan.example",
        "+00 141 10",
        "YARD",
        "30",
    ),
    (
        "C-1002",
        "Skerrow Ferries",
        "Pier 4",
        "01400",
        "Skerrow",
        "ZZ",
        "stores@skerrowferries.example",
        "+00 140 04",
        "FLEET",
        "45",
    ),
    (
        "C-1003",
        "Ondry Fishing",
        "Net Loft 9",
        "02230",
        "Ondry",
        "ZZ",
        "boats@ondry.example",
        "+00 223 19",
        "YARD",
        "14",
    ),
    ("C-1004", "Cash sales", None, None, None, "ZZ", None, None, "SHOP", "0"),
]
