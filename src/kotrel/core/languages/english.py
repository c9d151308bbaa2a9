"""English, and what sheets in all languages share: abbreviations, units, signs."""

from kotrel.core.languages.language import Language

ENGLISH = Language(
    headings="""
item: item items article articles art material mat product products prod sku
part: part parts
code: code codes cod no nr num number numbers n ref reference id key
description: description desc descr designation
name: name names title
text: text words
long: long
short: short
unit: unit units uom um meas packaging measure
category: category categories cat group groups grp family class type range department line
cost: cost costs landed buy buying purchase trade
price: price prices pr
sales: sales sell selling sale
net: net nett
list: list catalog catalogue
standard: standard std
each: each
recommended: recommended rrp srp msrp retail consumer public
barcode: barcode barcodes ean ean13 gtin upc
bars: bar
vendor: vendor supplier suppliers supp
brand: brand make manufacturer mfr maker
gross: gross
weight: weight wt
length: length len
width: width
height: height
size: size
color: shade color colour
note: note notes remark remarks comment comments
tax: tax vat
lot: lot lots batch
serial: serial serials serialised serialized
tracked: tracked controlled control tracking managed
archived: archived inactive discontinued obsolete
web: web online internet shop
base: base basis stock stocking stocked
our: our
your: your
main: main default preferred
warehouse: warehouse depot
quantity: quantity qty pieces pcs
customer: customer client
street: street address
post: post postal zip postcode
city: city town
country: country
phone: phone telephone tel
email: email mail
date: date
from: from valid
to: to until ends end expiry expires
component: component
""",
    months="january february march april may june july august september october november december",
    weekdays="monday tuesday wednesday thursday friday saturday sunday mon tue tues wed weds thu thur thurs fri sat sun",
    yes="yes y true t 1 x ✓ ✔ on",
    no="no n false f 0 - off ✗ ✘",
    totals="total totals sum sums subtotal sub-total grand",
    sheet="sheet",
    other=(
        "old previous former prior last avg average mean min max minimum maximum lowest highest est estimated "
        "planned proposed draft ordered reserved allocated available expected damaged returned rrp msrp "
        "competitor supplier vendor customer parent carton outer"
    ),
    least="min minimum moq least",
    more="more up over plus upwards",
    again="recount recounted second nd final checked verified corrected",
    packs="box case carton pallet roll reel coil pack packet bag bundle sack crate drum bottle",
    idle="the s sub of a an and for per in excl incl eur euro kg g mm cm m each",
    newer="new",
    examples="example e.g. sample",
)
