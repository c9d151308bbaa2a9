"""French."""

from kotrel.core.languages.language import Language

FRENCH = Language(
    headings="""
item: produit produits
code: cle numero
description: denomination libelle lib intitule
name: nom titre
text: texte
long: longue complete
short: court courte
unit: unite unites uni u conditionnement mesure
category: categorie groupe famille classe rayon gamme sousfamille
cost: cout revient achat pa
price: prix tarif pv
sales: vente
net: nette
list: liste
each: unitaire
recommended: conseille pvc
barcode: gencod
bars: barre barres
vendor: fournisseur fourn
brand: marque fabricant
gross: brut
archived: abandonne abandonnee inactif
weight: poids
length: longueur
width: largeur
height: hauteur
size: taille
color: teinte couleur
note: remarque remarques observation observations
tax: tva
serial: serie
tracked: gere suivi gestion
base: stockage
our: notre
your: votre
main: principal
warehouse: entrepot
quantity: quantite
street: rue adresse
city: ville
country: pays
phone: telephone
email: courriel
to: jusqu fin
component: composant
""",
    months="janvier fevrier mars avril mai juin juillet aout septembre octobre novembre decembre",
    weekdays="lundi mardi mercredi jeudi vendredi samedi dimanche",
    yes="oui o vrai",
    no="non faux",
    totals="total somme sous-total",
    sheet="feuil feuille",
    other=(
        "ancien ancienne precedent moyen moyenne estime prevu prevue brouillon commande commandee reserve "
        "reservee disponible fournisseur client carton"
    ),
    least="min minimum partir des",
    more="plus",
    again="recomptage recompte deuxieme second final controle corrige",
    packs="boite caisse carton palette rouleau paquet sac fut bouteille",
    idle="sous de du des d le la les l un une et ht ttc au aux",
    newer="nouveau nouvelle nouveaux",
    examples="exemple p._ex. ex.",
)
