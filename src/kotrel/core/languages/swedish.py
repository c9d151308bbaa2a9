"""Swedish."""

from kotrel.core.languages.language import Language

SWEDISH = Language(
    headings="""
item: artikel artiklar produkt produkter vara varor varu
code: artnr artikelnr nummer kod
description: benamning beskrivning
name: namn
text: text
long: lang
short: kort
unit: enhet enheter enh matt
category: kategori grupp typ sortiment klass
cost: kostnad inkop inkops inpris sjalvkostnad
price: pris priser utpris
sales: forsaljning
net: netto
list: lista
recommended: rek cirkapris cirka rekommenderat
barcode: streckkod streckkoder
vendor: leverantor leverantorer lev
brand: marke varumarke tillverkare tillverkarens
gross: brutto
weight: vikt
length: langd
width: bredd
height: hojd
size: storlek
color: farg
note: anmarkning anmarkningar kommentar notering
tax: moms momskod
lot: parti
serial: serienummer
tracked: hanteras spars
archived: utgatt utgangen inaktiv
web: webb
base: bas lager
our: vart var
your: ert er
main: huvud
warehouse: lagerplats lagerstalle
quantity: antal kvantitet mangd
customer: kund
street: gata adress
post: postnummer
city: stad
phone: telefon
email: epost
date: datum
from: fran
to: till slut
component: komponent
""",
    months="januari februari mars april maj juni juli augusti september oktober november december",
    weekdays="mandag tisdag onsdag torsdag fredag lordag sondag",
    yes="ja j sant",
    no="nej n falskt",
    totals="summa totalt delsumma totalsumma",
    sheet="blad",
    other=(
        "gammal gammalt tidigare foregaende medel planerad utkast bestalld reserverad tillganglig leverantor "
        "kund kartong"
    ),
    least="min minst",
    more="mer fler uppat",
    again="omrakning omraknat andra slutlig kontroll",
    packs="kartong lada pall rulle paket sack fat flaska",
    idle="och av for i",
    newer="ny nya nytt",
    examples="exempel t.ex.",
)
