"""German."""

from kotrel.core.languages.language import Language

GERMAN = Language(
    headings="""
item: artikel produkt produkte ware sach
part: teil teile
code: nummer nummern kode referenz schlussel kennung nbr
description: bezeichnung bez beschreibung benennung
name: name
text: text texte
long: lang lange langer vollstandig
short: kurz kurze
unit: einheit einheiten einh me mengen mass vpe verpackung
category: kategorie kat gruppe gr familie klasse typ sortiment linie warengruppe wg wgr hauptgruppe
cost: kosten kost ek einstand einkauf einkaufs bezug
price: preis preise vk
sales: verkauf verkaufs
net: netto
list: liste listen katalog
each: einzel stuck
recommended: uvp empf empfohlen empfohlener
barcode: strichcode
bars: strich
vendor: lieferant lieferanten lief
brand: marke hersteller
gross: brutto
weight: gewicht
width: breite
height: hohe
size: grosse
color: farbton farbe
note: bemerkung notiz anmerkung
tax: mwst ust steuer steuersatz
lot: charge chargen
serial: serie serien seriennummer seriennummern
tracked: pflichtig gefuhrt
archived: auslauf obsolet inaktiv
base: lager
our: unser unsere
your: ihr ihre
main: haupt
warehouse: lagerort
quantity: menge anzahl
customer: kunde kunden
street: strasse
post: plz
city: ort stadt
country: land
phone: telefon
date: datum
from: ab von
to: bis ende end
component: komponente
""",
    months="januar|janner|jan februar marz april mai juni juli august september oktober november dezember",
    weekdays="montag dienstag mittwoch donnerstag freitag samstag sonnabend sonntag mo di mi do fr sa so",
    yes="ja j wahr",
    no="nein n falsch",
    totals="summe gesamt zwischensumme gesamtsumme gesamtbetrag",
    sheet="tabelle blatt",
    other=(
        "alt alte alter altes bisher bisheriger vorher voriger vorjahr durchschnitt schnitt geplant plan "
        "entwurf bestellt reserviert verfugbar erwartet uvp lieferant kunde karton umkarton"
    ),
    least="min mind mindestens minimum",
    more="mehr",
    again="nachzahlung nachgezahlt zweitzahlung kontrollzahlung korrigiert endgultig zweite",
    packs="kiste karton palette rolle packung paket beutel bund sack fass gebinde flasche",
    idle="der die das den und exkl inkl",
    newer="neu neue neuer neues",
    examples="beispiel z.b. z._b. muster",
)
