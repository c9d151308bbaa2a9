"""Dutch."""

from kotrel.core.languages.language import Language

DUTCH = Language(
    headings="""
item: artikel product
code: nummer referentie
description: omschrijving omschr beschrijving benaming
name: naam titel
text: tekst
long: lange
short: korte
unit: eenheid eenheden eenh eh maateenheid verpakking
category: categorie groep rubriek assortiment
cost: inkoop inkoops kost
price: prijs tarief
sales: verkoop
net: netto
list: lijst
standard: standaard
each: stuk
recommended: advies consument consumenten
barcode: streepjescode
bars: streepjes
vendor: leverancier leveranciers
brand: merk fabrikant
gross: bruto
weight: gewicht
length: lengte
width: breedte
height: hoogte
size: maat
color: kleur
note: opmerking notitie
tax: btw
lot: partij
serial: serienummer serienummers
tracked: gebonden
archived: vervallen inactief
base: voorraad
our: ons onze
your: uw
main: hoofd
warehouse: magazijn
quantity: hoeveelheid aantal
customer: klant
street: straat adres
city: stad plaats
phone: telefoon
from: vanaf
to: tot eind einde
component: onderdeel
""",
    months="januari februari maart april mei juni juli augustus september oktober november december",
    weekdays="maandag dinsdag woensdag donderdag vrijdag zaterdag zondag",
    yes="ja j waar",
    no="nee neen n onwaar",
    totals="totaal subtotaal totalen",
    sheet="blad",
    other=(
        "oud oude vorige gemiddeld gemiddelde gepland concept besteld gereserveerd beschikbaar leverancier klant doos"
    ),
    least="min minimum minimaal",
    more="meer",
    again="hertelling herteld tweede definitief controle gecorrigeerd",
    packs="doos krat pallet rol pak zak fles",
    idle="van het een en",
    newer="nieuw nieuwe",
    examples="voorbeeld bijv. b.v.",
)
