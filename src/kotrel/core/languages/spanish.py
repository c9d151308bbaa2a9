"""Spanish."""

from kotrel.core.languages.language import Language

SPANISH = Language(
    headings="""
item: articulo articulos producto productos
code: codigo referencia clave
description: denominacion descripcion
name: nombre titulo
text: texto
long: larga
short: corta
unit: ud uds un unidad unidades medida
category: categoria grupo familia tipo linea departamento subfamilia
cost: coste costo compra
price: precio precios tarifa
sales: venta
net: neto
list: lista
standard: estandar
each: unitario
recommended: pvp recomendado publico
bars: barras
vendor: proveedor
brand: marca fabricante
gross: bruto
weight: peso
length: largo
width: ancho
height: alto
size: talla
color: tono
note: observaciones nota notas
tax: iva
lot: lote lotes
serial: serie series
tracked: gestion
archived: descatalogado obsoleto inactivo
our: nuestro nuestra
your: su vuestro
main: habitual
warehouse: almacen
quantity: cantidad
customer: cliente
street: calle direccion
post: cp
city: ciudad
phone: telefono
email: correo
date: fecha
from: desde
to: hasta fin
component: componente
""",
    months="enero febrero marzo abril mayo junio julio agosto septiembre|setiembre octubre noviembre diciembre",
    weekdays="lunes martes miercoles jueves viernes sabado domingo",
    yes="si sí s verdadero",
    no="no n falso",
    totals="total suma subtotal",
    sheet="hoja",
    other=(
        "antiguo antigua anterior viejo medio media promedio previsto borrador pedido reservado disponible "
        "proveedor cliente caja"
    ),
    least="min minimo partir",
    more="mas",
    again="segundo final corregido verificado",
    packs="caja palet rollo paquete saco bidon botella",
    idle="el los las de del y e la al una",
    newer="nuevo nueva nuevos",
    examples="ejemplo p._ej.",
)
