"""Polish."""

from kotrel.core.languages.language import Language

POLISH = Language(
    headings="""
item: towar towaru towary artykul artykulu artykuly produkt produktu produkty produktow pozycja asortyment
code: kod indeks symbol numer kat
description: opis
name: nazwa
text: tekst
long: pelny pelna dlugi
short: skrocona skrocony krotki
unit: jednostka jedn jm miary
category: kategoria grupa towarowa asortymentowa rodzaj podkategoria
cost: koszt zakupu nabycia
price: cena ceny katalogowa
sales: sprzedazy
net: netto
recommended: detaliczna sugerowana zalecana
barcode: kreskowy
vendor: dostawca dostawcy
brand: marka producent producenta
gross: brutto
weight: waga masa
length: dlugosc
width: szerokosc
height: wysokosc
size: rozmiar
color: kolor
note: uwagi uwaga notatka
tax: stawka podatek
lot: partie partia partii
serial: seryjne seryjny
archived: wycofany wycofane archiwalny
web: internetowa internetowy
base: podstawowa magazynowa
our: nasz
your: panstwa
main: glowny
warehouse: magazyn
quantity: ilosc
customer: klient
street: ulica adres
post: pocztowy
city: miasto
country: kraj
date: data
from: od
to: do koniec
component: skladnik
""",
    months="styczen|stycznia luty|lutego marzec|marca kwiecien|kwietnia maj|maja czerwiec|czerwca lipiec|lipca sierpien|sierpnia wrzesien|wrzesnia pazdziernik|pazdziernika listopad|listopada grudzien|grudnia",
    weekdays="poniedzialek wtorek sroda czwartek piatek sobota niedziela",
    yes="tak t prawda",
    no="nie n falsz",
    totals="razem suma ogolem lacznie podsuma",
    sheet="arkusz",
    other=("stara stary stare poprzednia poprzedni srednia planowana zamowione zarezerwowane dostawca klient karton"),
    least="min minimum",
    more="wiecej",
    again="ponowne drugie koncowe poprawione",
    packs="karton skrzynia paleta rolka paczka worek butelka",
    idle="i w z na dla",
    newer="nowa nowy nowe",
    examples="przyklad przykład np.",
)
