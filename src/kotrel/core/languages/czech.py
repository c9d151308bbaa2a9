"""Czech, and Slovak where it differs little."""

from kotrel.core.languages.language import Language

CZECH = Language(
    headings="""
item: zbozi artikl artiklu produkt produktu polozka vyrobek
code: cislo kod katalogove
description: popis oznaceni
name: nazev nazov
text: text
long: dlouhy
short: kratky
unit: jednotka jedn mj merna
category: kategorie skupina druh sortiment podskupina
cost: naklady nakupni porizovaci nakup
price: cena ceny cenikova
sales: prodejni
recommended: doporucena maloobchodni
barcode: carovy
vendor: dodavatel dodavatele
brand: znacka vyrobce
weight: hmotnost vaha
length: delka
width: sirka
height: vyska
size: velikost
color: barva
note: poznamka poznamky
tax: sazba dph
lot: sarze
serial: seriova seriove
archived: vyrazeno vyrazeny neaktivni
web: internetova
base: zakladni skladova
our: nase
your: vase
main: hlavni
warehouse: sklad
quantity: mnozstvi pocet
customer: zakaznik
street: ulice adresa
post: psc
city: mesto
country: zeme
date: datum
from: od
to: do konec
component: slozka
""",
    months="leden|ledna unor|unora brezen|brezna duben|dubna kveten|kvetna cerven|cervna cervenec|cervence srpen|srpna zari rijen|rijna listopad|listopadu prosinec|prosince",
    weekdays="pondeli utery streda ctvrtek patek sobota nedele",
    yes="ano pravda",
    no="ne n nepravda",
    totals="celkem soucet mezisoucet",
    sheet="list",
    other="stara stary stare predchozi prumer plan objednano rezervovano dodavatel zakaznik karton",
    least="min minimum",
    more="vice",
    again="prepocet druhe konecne opravene",
    packs="karton bedna paleta baleni pytel lahev",
    idle="c s z na v",
    newer="nova novy nove",
    examples="priklad příklad napr. např.",
)
