"""Danish, and Norwegian where it differs little."""

from kotrel.core.languages.language import Language

DANISH = Language(
    headings="""
item: artikel vare varer produkt produkter
code: nummer numre kode
description: betegnelse beskrivelse benevnelse
name: navn
text: tekst
long: lang
short: kort
unit: enhed enheder enhet enh maleenhed maal
category: kategori gruppe sortiment type
cost: kostpris kost indkob indkobs innkjop
price: pris priser
sales: salg salgs udsalg
net: netto
list: liste
recommended: vejl vejledende veil veiledende
barcode: stregkode strekkode
vendor: leverandor leverandorer lev
brand: maerke merke producent producentens produsent
gross: brutto
weight: vaegt vekt
length: laengde lengde
width: bredde
height: hojde hoyde
size: storrelse
color: farve farge
note: bemaerkning bemaerkninger merknad
tax: moms momskode mva
lot: parti
serial: serienumre serienummer
tracked: styret
archived: udgaet utgatt
base: basis lager
our: vores var
your: jeres
main: hoved
warehouse: lagersted
quantity: antal antall maengde
customer: kunde
street: gade adresse
post: postnummer
city: by
phone: telefon
date: dato
from: fra
to: til slut
component: komponent
""",
    months="januar februar marts|mars april maj juni juli august september oktober november december|desember",
    weekdays="mandag tirsdag onsdag torsdag fredag lordag sondag",
    yes="ja j sand sant",
    no="nej nei n falsk usant",
    totals="total sum subtotal ialt",
    sheet="ark",
    other="gammel gammelt tidligere gennemsnit planlagt udkast bestilt reserveret leverandor kunde karton",
    least="min mindst",
    more="flere mere",
    again="genoptaelling anden endelig kontrol",
    packs="kasse karton palle rulle pakke saek flaske",
    idle="og af i for udgave",
    newer="ny nye",
    examples="eksempel f.eks.",
)
