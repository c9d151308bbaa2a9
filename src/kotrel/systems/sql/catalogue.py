"""What a database says about its tables: columns, keys, lengths, references."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import polars as pl
import sqlalchemy as sa
from msgspec.structs import replace
from sqlalchemy import types
from sqlalchemy.exc import SAWarning, SQLAlchemyError

from kotrel.core.description.table_facts import ColumnFacts, ReferenceFacts, TableFacts, is_marked_deleted
from kotrel.core.errors import OutOfReach
from kotrel.core.values.code_formats import gtin_fits, gtin_has_length
from kotrel.systems.sql.database import Database
from kotrel.systems.sql.dialect import quoted


def read_catalogue(database: Database, schema: str | None = None) -> list[TableFacts]:
    """The tables of a database, or of one of its schemas.

    Args:
        schema: the schema; None for all except the database's own.

    Raises:
        OutOfReach: the catalogue cannot be read.
    """
    engine = sa.create_engine(
        f"{database.dialect.driver}://", creator=lambda: database.driver_connection, poolclass=sa.StaticPool
    )
    try:
        with warnings.catch_warnings():
            # Types that it does not know are said in the draft.
            warnings.simplefilter("ignore", SAWarning)
            found = list(_tables(sa.inspect(engine), database, schema))
    except SQLAlchemyError as error:
        words = str(error).splitlines()[0]
        raise OutOfReach(f"the database's catalogue cannot be read: {words}", "", "system-error") from None
    return [_with_content(database, each) for each in database.completed(found)]


_BARCODE = re.compile(r"(?:^|_)(?:barcode|ean|gtin|upc)s?(?:_|$)", re.IGNORECASE)
_LOOK_AT, _NEARLY_ALL = 500, 90


def _with_content(database: Database, table: TableFacts) -> TableFacts:
    """The table with what its values and its triggers say of its columns."""
    written = database.written_by_triggers(table.schema, table.name)
    columns = [
        replace(
            column,
            by_trigger=column.name in written,
            barcodes=_holds_barcodes(database, table, column.name)
            if column.kind == "text" and _BARCODE.search(column.name)
            else False,
        )
        for column in table.columns
    ]
    columns = [
        replace(each, date_form=_date_form(database, table, each)) if _may_be_day(each) else each for each in columns
    ]
    return replace(table, columns=tuple(columns))


_DAY = re.compile(r"(?:^|_)(?:date|day|from|to|since|until|on|valid|begin|end|start)(?:_|$)", re.IGNORECASE)
_FORMS = {"YYYYMMDD": r"(?:19|20)\d\d(?:0[1-9]|1[0-2])(?:0[1-9]|[12]\d|3[01])",
          "DD.MM.YYYY": r"(?:0[1-9]|[12]\d|3[01])\.(?:0[1-9]|1[0-2])\.(?:19|20)\d\d"}  # fmt: skip


def _may_be_day(column: ColumnFacts) -> bool:
    return column.kind in ("whole", "text") and bool(_DAY.search(column.name)) and not column.made


def _date_form(database: Database, table: TableFacts, column: ColumnFacts) -> str:
    """How a column of numbers or texts writes its dates, if all of its values are such; 0 is none."""
    name = quoted(table.schema, table.name)
    rows = database.run(
        f"SELECT DISTINCT {quoted(column.name)} FROM {name} WHERE {quoted(column.name)} IS NOT NULL LIMIT {_LOOK_AT}"
    )
    held = [text for (value,) in rows if (text := str(value).strip()) not in ("", "0")]
    return next(
        (form for form, shape in _FORMS.items() if held and all(re.fullmatch(shape, text) for text in held)), ""
    )


def _holds_barcodes(database: Database, table: TableFacts, column: str) -> bool:
    name = quoted(table.schema, table.name)
    rows = database.run(
        f"SELECT DISTINCT {quoted(column)} FROM {name} WHERE {quoted(column)} IS NOT NULL LIMIT {_LOOK_AT}"
    )
    held = pl.DataFrame(
        {"code": [str(value).strip() for (value,) in rows if str(value).strip()]}, schema={"code": pl.String}
    )
    valid = held.filter(gtin_has_length(pl.col("code")) & gtin_fits(pl.col("code"))).height
    return bool(held.height) and valid * 100 >= _NEARLY_ALL * held.height


def _tables(about: sa.Inspector, database: Database, schema: str | None) -> Iterator[TableFacts]:
    left_out = database.left_out_of_catalogue()
    for each in database.schemas_to_read(schema):
        for name in sorted(about.get_table_names(schema=each)):
            if (each, name) not in left_out:
                yield _table(about, name, each)


def _table(about: sa.Inspector, name: str, schema: str | None) -> TableFacts:
    primary = about.get_pk_constraint(name, schema=schema)["constrained_columns"]
    uniques = [tuple(each["column_names"]) for each in about.get_unique_constraints(name, schema=schema)]
    uniques += [
        tuple(str(column) for column in columns)
        for index in about.get_indexes(name, schema=schema)
        if index.get("unique")
        and all(columns := _columns_in(index))
        and leaves_out_deleted_only(str(index.get("dialect_options", {}).get("postgresql_where") or ""))
    ]
    references = [
        ReferenceFacts(
            tuple(foreign_key["constrained_columns"]),
            foreign_key["referred_table"],
            tuple(foreign_key["referred_columns"]),
            foreign_key.get("referred_schema") or "",
        )
        for foreign_key in about.get_foreign_keys(name, schema=schema)
    ]
    checked = _choices(each["sqltext"] for each in about.get_check_constraints(name, schema=schema))
    described = tuple(_column(each, checked) for each in about.get_columns(name, schema=schema))
    return TableFacts(name, schema or "", described, tuple(primary), tuple(dict.fromkeys(uniques)), tuple(references))


_IN_ONE_CASE = re.compile(r'(?:lower|upper)\(\(?"?(\w+)"?\)?(?:::[\w ]+)?\)$', re.IGNORECASE)
"""``lower(code)``, as databases write it."""


def _columns_in(index: Any) -> list[str | None]:
    """The columns of an index, None for an expression: what is unique in small letters is unique as it is."""
    if "expressions" not in index:
        return list(index["column_names"])
    inside = [
        name or _IN_ONE_CASE.match(said) for name, said in zip(index["column_names"], index["expressions"], strict=True)
    ]
    return [found[1] if isinstance(found, re.Match) else found for found in inside]


def leaves_out_deleted_only(condition: str) -> bool:
    """True where a unique index is for all rows, or for all that are not marked as deleted:
    those are all that people see.
    """
    if not condition:
        return True
    match = re.fullmatch(
        r'[\s(]*"?(\w+)"?\)?\s+IS\s+NULL[\s)]*|[\s(]*(?:NOT\s+)?"?(\w+)"?(?:\s*=\s*(?:false|0))?[\s)]*',
        condition,
        re.IGNORECASE,
    )
    column = (match[1] or match[2]) if match else None
    return column is not None and is_marked_deleted(ColumnFacts(column, "yes_no"))


def _choices(conditions: Iterable[str]) -> dict[str, tuple[str, ...]]:
    """Column → the words that a check such as ``state IN ('new', 'used')`` allows; other checks say nothing."""
    choices: dict[str, tuple[str, ...]] = {}
    for condition in conditions:
        words = re.findall(r"'((?:[^']|'')*)'", condition)
        bare = re.sub(r"'(?:[^']|'')*'", "", condition)
        column = re.match(r'[\s(]*"?(\w+)"?[\s)]*(?:::\w+[\s\w]*)?[\s)]*(?:IN\s*\(|=\s*ANY)', bare, re.IGNORECASE)
        if column and words and not re.search(r"\b(?:AND|OR|NOT)\b", bare, re.IGNORECASE):
            choices[column[1]] = tuple(dict.fromkeys(word.replace("''", "'") for word in words))
    return choices


def _column(column: Any, checked: Mapping[str, Sequence[str]]) -> ColumnFacts:
    identity = column.get("identity")
    made = bool(identity or column.get("computed")) or "nextval(" in str(column.get("default") or "")
    of = column["type"]
    # A domain is described as what it rests on.
    of = getattr(of, "data_type", of)
    kind, length, decimals = _kind(of)
    choices = tuple(of.enums or ()) if isinstance(of, types.Enum) else ()
    choices = choices or tuple(checked.get(column["name"], ()))
    is_json = isinstance(of, types.JSON)
    remark = f"{of}: shown only" if kind == "other" else ""
    return ColumnFacts(
        name=column["name"],
        kind=kind,
        length=length,
        decimals=decimals,
        must=not column.get("nullable", True) and column.get("default") is None and not made,
        made=made,
        always_made=bool(column.get("computed")) or bool(identity and identity.get("always")),
        has_default=column.get("default") is not None,
        zoned=bool(getattr(of, "timezone", False)),
        choices=choices,
        remark=remark,
        json=is_json,
    )


def _kind(of: Any) -> tuple[str, int | None, int | None]:
    """The kind of a column, its length and its decimals."""
    if isinstance(of, types.Boolean):
        return "yes_no", None, None
    if isinstance(of, types.Integer):
        return "whole", None, 0
    if isinstance(of, types.Numeric | types.Float):
        return "decimal", None, getattr(of, "scale", None)
    if isinstance(of, types.DateTime | types.TIMESTAMP):
        return "moment", None, None
    if isinstance(of, types.Date):
        return "date", None, None
    if isinstance(of, types.Uuid):
        return "uuid", 36, None
    if isinstance(of, types.String):
        return "text", of.length, None
    return "other", None, None
