"""Italian."""

from kotrel.core.languages.language import Language

ITALIAN = Language(
    headings="""
item: articolo articoli prodotto prodotti
code: codice riferimento numero
description: denominazione descrizione
name: titolo
text: testo
long: estesa lungo
short: breve
unit: unita confezione misura
category: categoria gruppo famiglia reparto linea merceologica merceologico sottocategoria
cost: costo acquisto
price: prezzo prezzi listino
sales: vendita
net: netto
recommended: consigliato pubblico
bars: barre
vendor: fornitore
brand: marca produttore
gross: lordo
weight: peso
length: lunghezza
width: larghezza
height: altezza
size: taglia
color: tinta colore
note: osservazioni nota
tax: iva
lot: lotti lotto
serial: matricole seriale
tracked: gestione
archived: obsoleto inattivo
our: nostro nostra
your: vostro vostra
main: principale abituale
warehouse: magazzino
quantity: quantita
street: via indirizzo
post: cap
city: citta
country: paese
phone: telefono
date: data
from: dal
to: fino al
component: componente
""",
    months="gennaio febbraio marzo aprile maggio giugno luglio agosto settembre ottobre novembre dicembre",
    weekdays="lunedi martedi mercoledi giovedi venerdi sabato domenica",
    yes="si sì vero",
    no="no non falso",
    totals="totale somma subtotale",
    sheet="foglio",
    other=(
        "vecchio vecchia precedente medio media previsto bozza ordinato riservato disponibile fornitore cliente cartone"
    ),
    least="min minimo da partire",
    more="oltre piu",
    again="riconteggio secondo finale corretto verificato",
    packs="scatola cartone bancale rotolo pacco sacco fusto bottiglia",
    idle="sotto di del dell della delle da dal alla",
    newer="nuovo nuova nuovi",
    examples="esempio p._es. es.",
)
