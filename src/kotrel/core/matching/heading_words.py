"""What headings say, in English, German, French, Dutch, Spanish and Italian, whole or cut short: words → plain terms.

A heading becomes a set of terms (``Lief.-Art.-Nr.`` and ``Supplier part no`` are both vendor, item, code), so that headings
can be compared with the names, titles and synonyms of fields, whatever these are.
"""

from __future__ import annotations

import re
from functools import cache

from kotrel.core.tables.headings import bare_heading
from kotrel.core.values.month_names import plain_letters

_TERMS = """
item: item items article articles artikel art material mat produkt product products prod produit produits articulo articulos
  articolo articoli producto productos prodotto prodotti sku ware sach
part: part parts teil teile
code: code codes cod codice codigo no nr num number numbers nummer nummern numero n kode ref reference referenz referencia
  riferimento referentie id key clave cle schlussel kennung nbr
description: description desc descr bezeichnung bez beschreibung benennung designation denomination denominacion denominazione
  libelle lib intitule omschrijving omschr beschrijving benaming descripcion descrizione
name: name names naam nom nombre nome title titel titre titulo titolo
text: text texto testo texte words
long: long lang lange larga estesa lungo langer complete vollstandig
short: short kurz korte court corta breve kurze
unit: unit units uom um ud uds un uni meas einheit einheiten einh me mengen unite unites u eenheid eenheden eenh eh unidad
  unidades unita mass maateenheid vpe conditionnement confezione verpakking packaging measure mesure medida misura
category: category categories cat kategorie kat categorie categoria group groups grp gruppe gr groupe groep grupo gruppo family
  famille familie familia famiglia class klasse classe type tipo rayon gamme rubriek sortiment assortiment linea line linie reparto
  departamento department range warengruppe wg wgr merceologica merceologico sousfamille subfamilia sottocategoria hauptgruppe
cost: cost costs cout coste costo kosten kost ek einstand revient landed buy buying purchase einkauf einkaufs achat compra inkoop
  inkoops acquisto pa bezug trade
price: price prices preis preise prix prijs precio precios prezzo prezzi pr tarif tarifa tarief listino vk pv
sales: sales sell selling sale verkauf verkaufs vente venta verkoop vendita
net: net netto net nett neto
list: list liste listen lista lijst catalog katalog catalogue
standard: standard std standaard estandar
each: each unitaire unitario einzel stuk stuck
recommended: recommended rrp srp msrp uvp empf empfohlen empfohlener pvp pvc conseille recomendado consigliato advies retail consumer consument consumenten public pubblico publico
barcode: barcode barcodes ean ean13 gtin upc gencod strichcode streepjescode
bars: barre barres barras bar streepjes strich
vendor: vendor supplier suppliers supp lieferant lieferanten lief fournisseur fourn leverancier leveranciers proveedor fornitore
brand: brand make marke marque merk marca manufacturer mfr hersteller fabricant fabrikant fabricante produttore maker
gross: gross brutto brut bruto lordo
weight: weight gewicht poids peso wt
length: length lange longueur lengte largo lunghezza len
width: width breite largeur breedte ancho larghezza
height: height hohe hauteur hoogte alto altezza
size: size grosse taille talla taglia maat
color: shade teinte farbton tinta tono color colour farbe couleur kleur colore
note: note notes remark remarks comment comments bemerkung notiz anmerkung remarque remarques observation observations observaciones
  osservazioni nota notas opmerking notitie
tax: tax vat mwst ust steuer steuersatz tva btw iva
lot: lot lots batch charge chargen lote lotes lotti lotto partij
serial: serial serials serialised serialized serie serien seriennummer serienummers serienummer seriennummern matricole seriale
tracked: tracked controlled control pflichtig gebonden gere suivi gestion gestione geführt tracking managed
archived: archived inactive discontinued obsolete obsolet obsoleto auslauf vervallen descatalogado inaktiv
web: web online internet shop
base: base basis stock stocking stocked lager voorraad stockage
our: our unser unsere notre ons onze nuestro nostro nuestra nostra
your: your ihr ihre votre uw su vostro vuestro
main: main haupt principal hoofd principale abituale default preferred habitual
warehouse: warehouse depot lagerort magazijn almacen magazzino entrepot
quantity: quantity qty menge quantite hoeveelheid aantal cantidad quantita anzahl
customer: customer client klant kunde kunden cliente
street: street strasse rue straat calle via address adresse adres direccion indirizzo
post: post plz postal zip postcode cap cp
city: city town ort stadt ville stad plaats ciudad citta
country: country land pays pais paese
phone: phone telephone telefon tel telefoon telefono
email: email mail courriel correo
date: date datum fecha data
from: from ab von vanaf desde dal valid
to: to until bis jusqu tot hasta fino al
component: component komponente composant onderdeel componente
"""
_PHRASES = {
    "price your": "cost", "brand code item": "brand code part",
    "code bars": "barcode", "code barcode": "barcode", "barcode code": "barcode", "ean code": "barcode", "net price": "cost",
    "cost price": "cost", "price recommended": "recommended price", "fuori produzione": "archived", "unit unit": "unit", "sales unit": "unit",
    "price cost": "cost", "price list": "list price", "category category": "category",
}  # fmt: skip
"""Terms together (in the order of the alphabet) → what they mean together."""
_IDLE = frozenset(
    [
        "the",
        "s",
        "sous",
        "sub",
        "sotto",
        "of",
        "a",
        "an",
        "and",
        "for",
        "per",
        "de",
        "du",
        "des",
        "d",
        "di",
        "del",
        "dell",
        "della",
        "delle",
        "der",
        "die",
        "das",
        "den",
        "le",
        "la",
        "les",
        "l",
        "el",
        "los",
        "las",
        "van",
        "het",
        "un",
        "une",
        "una",
        "y",
        "e",
        "et",
        "und",
        "en",
        "in",
        "ht",
        "ttc",
        "excl",
        "incl",
        "exkl",
        "inkl",
        "eur",
        "euro",
        "kg",
        "g",
        "mm",
        "cm",
        "m",
        "each",
        "al",
        "au",
        "aux",
        "dal",
        "alla",
    ]
)
"""Words that say nothing about what stands below."""
_CUT = 3
"""A word of so many letters or more, cut short with a point, stands for the only term that begins so."""


@cache
def _by_word() -> dict[str, str]:
    known: dict[str, str] = {}
    term = ""
    for line in _TERMS.splitlines():
        head, colon, rest = line.partition(":")
        if colon:
            term = head.strip()
        for word in (rest if colon else line).split():
            known.setdefault(plain_letters(word), term)
    return known


@cache
def terms_of(heading: str) -> frozenset[str]:
    """The terms of a heading; a word that nobody knows stands for itself."""
    text = re.sub(r"(?<=[a-z]{2})(?=[A-Z][a-z])", " ", bare_heading(heading))
    # Without its accent, the German length would be the French and Dutch “long”.
    text = re.sub("länge", "length", text, flags=re.IGNORECASE)
    text = re.sub(r"n\s?[.]?\s?[º°]", " nr ", text, flags=re.IGNORECASE).replace("#", " nr ")
    words = re.findall(r"[a-z]+", plain_letters(text.replace("ß", "ss")))
    found: list[str] = []
    for word in words:
        for part in _parts(word):
            if part not in _IDLE:
                found.append(_by_word().get(part, part))
    return _together(frozenset(found) or frozenset(words))


def _together(terms: frozenset[str]) -> frozenset[str]:
    for phrase, meant in _PHRASES.items():
        parts = frozenset(phrase.split())
        if parts <= terms and len(parts) > 1:
            terms = (terms - parts) | frozenset(meant.split())
    return terms


def _parts(word: str) -> list[str]:
    """A word, or the known words that it is put together of: ``artikelgruppe``, ``inkoopprijs``."""
    known = _by_word()
    if word in known or word in _IDLE or len(word) < 6:
        return [word]
    for end in range(len(word) - 2, 2, -1):
        head = word[:end]
        for linked in (head, head.removesuffix("s"), head.removesuffix("en"), head.removesuffix("n")):
            if (
                linked in known
                and len(linked) > 2
                and (rest := _parts(word[end:]))
                and all(part in known for part in rest)
            ):
                return [linked, *rest]
    longer = {term for text, term in known.items() if text.startswith(word)}
    return [next(iter(longer))] if len(word) >= _CUT and len(longer) == 1 else [word]


CURRENCY_WORDS = frozenset(
    ("currency", "curr", "cur", "ccy", "währung", "waehrung", "devise", "monnaie", "valuta", "munt", "moneda", "divisa")
)
"""Headings (folded) of columns that say in which currency the amounts of a row are."""

END_WORDS = frozenset(
    (
        "to",
        "todate",
        "until",
        "validto",
        "validuntil",
        "ends",
        "end",
        "enddate",
        "expires",
        "expireson",
        "bis",
        "gültigbis",
        "au",
        "jusquau",
        "tot",
        "hasta",
    )
)
"""Headings (folded) of columns that say until when a row is valid."""
SCALE_WORDS = frozenset(
    (
        "per",
        "priceunit",
        "priceper",
        "pricingunit",
        "unitofprice",
        "perunit",
        "pe",
        "pu",
        "je",
        "pricebase",
        "pricebasis",
        "preiseinheit",
        "proeinheit",
        "par",
        "unit",
        "uom",
        "unitofmeasure",
    )
)
"""Headings (folded) of columns that say for how many, or for which unit, an amount is."""
BREAK_WORDS = frozenset(
    (
        "fromqty",
        "fromquantity",
        "minqty",
        "minquantity",
        "minimumquantity",
        "qtybreak",
        "quantitybreak",
        "abmenge",
        "staffel",
        "staffelmenge",
    )
)
"""Headings (folded) of columns that say from which quantity an amount applies."""
PLACE_WORDS = frozenset(
    (
        "lot",
        "lotno",
        "lotnumber",
        "batch",
        "batchno",
        "charge",
        "warehouse",
        "warehousecode",
        "lager",
        "depot",
        "magasin",
    )
)
"""Headings (folded) of columns that say of which lot, or in which warehouse, a quantity is."""
