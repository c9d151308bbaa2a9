"""Documents as a description has them: a header, its lines, their lots;
and the flat sheet that has all of it in each row.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from kotrel.core.description.document_reading import reference_to
from kotrel.core.description.model import Description, Field, Record
from kotrel.core.remembering import for_the_last


class Family(Struct, frozen=True):
    """The records of one kind of document.

    Attributes:
        lots: of the lots and serial numbers of a line, or None where the system has no such record.
    """

    header: Record
    lines: Record
    lots: Record | None = None

    @property
    def number(self) -> str:
        """The header's field with the document's number."""
        return self.header.key[0]

    def document_of(self, record: Record) -> str:
        """The field of one of its records that has the document's number."""
        if record.name == self.header.name:
            return self.number
        field = reference_to(record, self.header)
        return field.name if field is not None else record.key[0]

    @property
    def line(self) -> str:
        """The lines' field with the line number."""
        document = self.document_of(self.lines)
        return next(name for name in self.lines.key if name != document)

    @property
    def line_of_lot(self) -> str:
        """The lots' field with the line number."""
        assert self.lots is not None
        field = reference_to(self.lots, self.lines)
        return field.name if field is not None else self.lots.key[1]

    @property
    def records(self) -> tuple[Record, ...]:
        return (self.header, self.lines, *((self.lots,) if self.lots else ()))


def families(description: Description) -> list[Family]:
    """All kinds of documents that have lines, in the description's order."""
    families: list[Family] = []
    for header in description.records.values():
        if header.nature != "document":
            continue
        lines = next((each for each in description.records.values() if each.part_of == header.name), None)
        if lines is not None:
            lots = next((each for each in description.records.values() if each.part_of == lines.name), None)
            families.append(Family(header, lines, lots))
    return families


def family_of(description: Description, record: str) -> Family | None:
    """The family that a record belongs to, or None."""
    return next((each for each in families(description) if record in (one.name for one in each.records)), None)


def is_flat(record: Record) -> bool:
    """True for a record made by :func:`flat_record`."""
    return record.nature == "document" and len(record.key) > 1


def flat_record(family: Family) -> Record:
    """The record of a sheet whose rows each have a line with its header's values and its lot."""
    fields: dict[str, Field] = {
        name: field
        for name, field in family.header.fields.items()
        if not field.is_kept and (name != "remark" or name == family.number)
    }
    fields[family.number] = replace(fields[family.number], numbered=True, must="may")
    document = family.document_of(family.lines)
    for name, field in family.lines.fields.items():
        if name != document and not field.is_kept:
            # What a line takes from its header stands in the same row.
            own = fields.get(name, field)
            fields[name] = replace(own, must="may", same_as=None, default_from=None, numbered=field.numbered)
    for name, field in family.lots.fields.items() if family.lots else ():
        if name not in family.lots.key and name not in fields:  # type: ignore[union-attr]
            fields[name] = replace(field, must="may")
    item = "item" if "item" in fields else next(iter(family.lines.references)).name
    fields[item] = replace(fields[item], numbered=True)
    return replace(family.header, key=(family.number, item), fields=fields, needs={})


@for_the_last
def readable_records(description: Description) -> dict[str, Record]:
    """What sheets may hold: all records but the ledger; a document's header also as a flat sheet with its lines."""
    flat = {each.header.name: flat_record(each) for each in families(description)}
    return {name: flat.get(name, record) for name, record in description.records.items() if not record.is_kept}


def is_named_only(record: Record) -> bool:
    """True for documents and their parts: their headings are much alike, so a sheet must be named after them."""
    return record.nature == "document" or record.part_of is not None


def of_one_document(description: Description, name: str, readable: Mapping[str, Record]) -> Sequence[Record]:
    """The records that a sheet may hold when the user names one:
    a document's header stands for its lines and lots too.
    """
    family = family_of(description, name)
    if family is not None and family.header.name == name:
        return [readable[each.name] for each in family.records]
    return [readable[name]]
