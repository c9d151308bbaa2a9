"""Portuguese."""

from kotrel.core.languages.language import Language

PORTUGUESE = Language(
    headings="""
item: artigo artigos produto produtos item
code: codigo referencia chave numero
description: descricao designacao
name: nome titulo
text: texto
long: longa
short: curta
unit: unidade unidades unid un medida
category: categoria grupo familia subfamilia linha tipo
cost: custo compra
price: preco precos tabela
sales: venda
net: liquido
recommended: recomendado sugerido
bars: barras
vendor: fornecedor
brand: marca fabricante
gross: bruto
weight: peso
length: comprimento
width: largura
height: altura
size: tamanho
color: cor
note: observacoes observacao nota notas
tax: iva imposto
lot: lote lotes
serial: serie
tracked: controle controlo
archived: descontinuado inativo
base: estoque
our: nosso
your: vosso
main: principal
warehouse: armazem deposito
quantity: quantidade
customer: cliente
street: rua morada endereco
post: cep
city: cidade
country: pais
phone: telefone
date: data
from: desde
to: ate
component: componente
""",
    months="janeiro fevereiro marco abril maio junho julho agosto setembro outubro novembro dezembro",
    weekdays="segunda terca quarta quinta sexta sabado domingo",
    yes="sim s verdadeiro",
    no="nao não n falso",
    totals="total soma subtotal",
    sheet="planilha folha",
    other=(
        "antigo antiga anterior medio media previsto rascunho encomendado reservado disponivel fornecedor cliente caixa"
    ),
    least="min minimo partir",
    more="mais",
    again="recontagem segunda final corrigido",
    packs="caixa palete rolo pacote saco garrafa",
    idle="de do da dos das e o os em",
    newer="novo nova novos",
    examples="exemplo p._ex.",
)
