"""Checks that a system description is consistent: the fields and records that its rules name must exist."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from kotrel.core.description.model import Field, Record
from kotrel.core.description.toml_reading import TomlReader
from kotrel.core.similarity import did_you_mean


def known_field(reader: TomlReader, record: Record, name: str, *path: str) -> Field:
    if name not in record.fields:
        hint = did_you_mean(name, record.fields)
        raise reader.wrong(f"{record.name} has no field “{name}”", *path, hint=hint)
    return record.fields[name]


def _named_by_rules(record: Record) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Each rule of a record, with the fields that it names."""
    yield "key", record.key
    for rule in ("called", "path", "out_of_use"):
        yield rule, tuple(filter(None, (getattr(record, rule),)))
    for rule in ("also_known_by", "together", "unique_together", "exactly_one", "in_order", "no_circle"):
        for group in getattr(record, rule):
            yield rule, group


def names_exist(reader: TomlReader, record: Record, path: tuple[str, ...]) -> None:
    """Every field that a record rule names must be one of the record's fields."""
    for rule, names in _named_by_rules(record):
        for name in names:
            if name not in record.fields:
                hint = did_you_mean(name, tuple(record.fields))
                raise reader.wrong(
                    f"“{rule}” names a field “{name}” that {record.name} does not have", *path, rule, hint=hint
                )
    for rule in ("in_order", "no_circle"):
        if any(len(group) != 2 for group in getattr(record, rule)):
            raise reader.wrong(f"“{rule}” needs pairs of fields", *path, rule)
    for rule, field in (("called", record.called), ("path", record.path)):
        if field in record.key:
            raise reader.wrong(f"“{rule}” names {field}, which is the key of {record.name}: leave it out", *path, rule)
    for name in record.key:
        if record.fields[name].is_kept:
            raise reader.wrong(f"the key “{name}” of {record.name} cannot be kept by the system", *path, "key")


def check_references(reader: TomlReader, record: Record, records: Mapping[str, Record]) -> None:
    for reference in record.references:
        path = ("record", record.name, "field", reference.name)
        target = records.get(reference.to or "")
        if target is None:
            hint = did_you_mean(reference.to or "", tuple(records), f"The description has: {', '.join(records)}.")
            raise reader.wrong(
                f"field {reference.name} refers to “{reference.to}”, which is not described", *path, "to", hint=hint
            )
        if len(reference.within) != len(target.key) - 1:
            raise reader.wrong(
                f"field {reference.name} refers to {target.name}, whose key is {', '.join(target.key)}",
                *path,
                "to",
                hint='“within” names the fields of this record that identify the others: within = ["warehouse"]',
            )
        if target.storage.id and (len(target.key) > 1 or target.fields[target.code].to):
            # A number is looked up by one code alone: with a longer key, it could belong to another row.
            raise reader.wrong(
                f"field {reference.name} refers to {target.name}, which has an “id” and a key of more than one plain code",
                *path,
                "to",
                hint="Describe the column as the number that it is, or give that record a key of one code.",
            )
        for name in reference.within:
            known_field(reader, record, name, *path, "within")
            # A changed row may not carry a field outside its key; rows of documents never change.
            if name not in record.key and record.part_of is None and record.nature == "master":
                raise reader.wrong(f"“within” names {name}, which is not part of this record's key", *path, "within")


def check_rule_settings(reader: TomlReader, record: Record, records: Mapping[str, Record]) -> None:
    """Rules on the row that a reference points at must name a reference and a field there."""
    at = ("record", record.name)
    rules: list[tuple[str, tuple[str, str], tuple[str, ...]]] = [("needs", dotted, at) for dotted in record.needs]
    for field in record.fields.values():
        in_field = (*at, "field", field.name)
        if field.same_as:
            rules.append(("same_as", field.same_as, in_field))
        if field.default_from:
            rules.append(("default_from", field.default_from, in_field))
        if field.one_of:
            rules.append(("one_of", field.one_of[0], in_field))
        if field.differs_from:
            known_field(reader, record, field.differs_from, *in_field, "differs_from")
    for rule, (reference, name), path in rules:
        about = known_field(reader, record, reference, *path, rule)
        if about.to is None or about.within:
            raise reader.wrong(f"“{rule}”: {reference} is not a reference to a record with one key field", *path, rule)
        known_field(reader, records[about.to], name, *path, rule)
    for field in record.fields.values():
        in_field = (*at, "field", field.name)
        for dotted in field.one_of[1:]:
            target = str(record.fields[field.one_of[0][0]].to)
            _refers_to(reader, dotted, target, records, *in_field, "one_of")
    for dotted in record.other_codes:
        _refers_to(reader, dotted, record.name, records, *at, "other_codes")


def _refers_to(
    reader: TomlReader, dotted: tuple[str, str], target: str, records: Mapping[str, Record], *path: str
) -> None:
    """A rule's ``record.field`` must exist, and that record must refer to the target."""
    (other, name), rule = dotted, path[-1]
    if other not in records:
        hint = did_you_mean(other, tuple(records), f"The description has: {', '.join(records)}.")
        raise reader.wrong(f"“{rule}” names a record “{other}” that is not described", *path, hint=hint)
    known_field(reader, records[other], name, *path)
    if not any(each.to == target and not each.within for each in records[other].references):
        raise reader.wrong(f"“{rule}”: {other} has no reference to {target}", *path)
