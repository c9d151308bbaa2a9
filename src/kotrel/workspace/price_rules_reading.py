"""Reads ``prices/NAME.toml``: price rules, checked setting by setting at their lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

from kotrel.core.description.toml_reading import TomlReader, numbered
from kotrel.core.errors import WrongUse
from kotrel.core.pricing.price_rules import COST, OWN_PRICES, FigureSheet, Guards, Outliers, PriceRules, Step
from kotrel.core.pricing.rates import Rates
from kotrel.core.pricing.rounding import Rounding, read_rounding
from kotrel.core.similarity import did_you_mean
from kotrel.workspace.setting_tables import PRICE_GUARDS, PRICE_OUTLIERS, PRICE_RULES, PRICE_SHEET, PRICE_STEP
from kotrel.workspace.settings_file import near_file, read_settings_file

FOLDER = "prices"
_MOST_SHARE = 1_000_000


class _RulesReader(TomlReader):
    kind = "wrong-price-rules"

    def share(self, value: Any, *path: str) -> Decimal:
        """``"15%"`` → 15."""
        text = str(value).strip()
        try:
            share = Decimal(text.removesuffix("%").strip() if isinstance(value, str) and text.endswith("%") else "x")
        except InvalidOperation:
            share = Decimal("nan")
        if not share.is_finite() or not 0 <= share <= _MOST_SHARE:
            trouble = f'“{path[-1]}” must be a percentage from 0 to {_MOST_SHARE:,}, like "15%"'
            raise self.wrong(trouble, *path)
        return share


def rules_named(folder: Path, name: str, lists: tuple[str, ...] | None, rates: Rates) -> PriceRules:
    """The rules of that name, or in that file.

    Args:
        lists: codes of the price lists that the system has, or None where the rules were used before.
        rates: of the workspace; those of the rules come first.

    Raises:
        WrongUse: there are none, or a setting is wrong, with its line.
        OutOfReach: the file cannot be read.
    """
    path = (
        Path(name)
        if name.endswith(".toml") and Path(name).is_file()
        else folder / FOLDER / f"{name.removesuffix('.toml')}.toml"
    )
    try:
        text, data = read_settings_file(path, "wrong-price-rules")
    except FileNotFoundError:
        way = "docs/reference/prices.md shows how to write some."
        hint = near_file(folder / FOLDER, name, "price rules", way)
        raise WrongUse(f"there are no price rules {path}", hint, "no-such-rules") from None
    return _rules(_RulesReader(text, str(path)), data, path, lists, rates)


def _rules(
    reader: _RulesReader, data: Mapping[str, Any], path: Path, lists: tuple[str, ...] | None, rates: Rates
) -> PriceRules:
    reader.known_keys(data, PRICE_RULES, "price rules")
    from_date = data.get("from_date")
    if from_date is not None and (not isinstance(from_date, date) or isinstance(from_date, datetime)):
        raise reader.wrong("from_date must be a date without quotes, like 2027-02-01", "from_date")
    how = reader.one_of(reader.text_of(data, "steps", "first"), ("first", "all"), "steps", "steps")
    raw = data.get("step", [])
    if not isinstance(raw, list) or not raw or not all(isinstance(each, dict) for each in raw):
        raise reader.wrong("there is no step", hint='Add one: [[step]] with set = { SHOP = "SHOP + 4%" }')
    steps = tuple(_step(reader, each, place, lists) for place, each in enumerate(raw, start=1))
    return PriceRules(
        name=path.stem,
        title=reader.text_of(data, "title", path.stem),
        from_date=from_date,
        every_step=how == "all",
        steps=steps,
        guards=_guards(reader, reader.table(data.get("guards", {}), "guards", "guards"), lists),
        outliers=_outliers(reader, reader.table(data.get("outliers", {}), "outliers", "outliers")),
        sheets=_sheets(reader, reader.table(data.get("sheets", {}), "sheets", "sheets")),
        rates=rates.with_more(
            reader.rates(reader.table(data.get("rates", {}), "rates", "rates"), rates.home),
            f"{FOLDER}/{path.name} or kotrel.toml",
        ),
    )


def _step(reader: _RulesReader, raw: Mapping[str, Any], place: int, lists: tuple[str, ...] | None) -> Step:
    at = numbered("step", place)
    reader.known_keys(raw, PRICE_STEP, "a step", at)
    named = reader.text_of(raw, "name", f"step {place}", at)
    targets = reader.mapping(raw, "set", at)
    if not targets:
        raise reader.wrong(f"{named} sets nothing", at, hint='Like set = { SHOP = "SHOP + 4%" }')
    for target in targets:
        if lists is not None and target not in (*lists, *OWN_PRICES):
            hint = did_you_mean(
                target, [*lists, *OWN_PRICES], f"The lists are: {', '.join(lists)}; or {', '.join(OWN_PRICES)}."
            )
            raise reader.wrong(
                f"{named} sets “{target}”, which is neither a price list nor a price of the item",
                at,
                "set",
                hint=hint,
            )
    quantity = raw.get("from_quantity")
    return Step(
        named,
        reader.text_of(raw, "where", "", at) or None,
        targets,
        _roundings(reader, raw, at, named, targets),
        None if quantity is None else reader.decimal(raw, "from_quantity", at),
    )


def _roundings(
    reader: _RulesReader, raw: Mapping[str, Any], at: str, named: str, targets: Mapping[str, str]
) -> dict[str, Rounding]:
    """One rule for all that is sold, or a table with a rule for each price:
    a cost is rounded only where it is named.
    """
    given = raw.get("round", "")
    if isinstance(given, dict):
        rules = reader.mapping(raw, "round", at)
        for target in rules:
            if target not in targets:
                hint = did_you_mean(target, targets, f"It sets {', '.join(targets)}.")
                raise reader.wrong(f"{named} rounds “{target}”, which it does not set", at, "round", hint=hint)
    else:
        rule = reader.text_of(raw, "round", "", at)
        rules = {target: rule for target in targets if target != COST} if rule else {}
        if rule and not rules:
            raise reader.wrong(
                f"{named} sets only the cost, and “round” is for prices of lists and selling prices",
                at,
                "round",
                hint=f'To round the cost too: round = {{ cost = "{rule}" }}',
            )
    roundings = {}
    for target, rule in rules.items():
        rounding = read_rounding(rule)
        if rounding is None:
            raise reader.wrong(
                f"{named}: “{rule}” is no rounding rule",
                at,
                "round",
                hint='Like "up to 0.05", "nearest to 0.05", "down to 1", "ending 0.95" or "up ending 0.95".',
            )
        roundings[target] = rounding
    return roundings


def _require_lists(reader: _RulesReader, key: str, codes: Sequence[str], lists: tuple[str, ...] | None) -> None:
    """Refuses a price list that the system does not have. ``lists``: None where nobody knows them yet."""
    for code in codes if lists is not None else ():
        if code not in (lists or ()):
            raise reader.wrong(f"{key} names a price list “{code}” that the system does not have", "guards", key)


def _not_above(reader: _RulesReader, raw: Mapping[str, Any]) -> list[list[str]]:
    """Pairs of lists, of which the first is never above the second; one pair may stand alone."""
    pairs = raw.get("not_above", [])
    if pairs and isinstance(pairs, list) and all(isinstance(each, str) for each in pairs):
        pairs = [pairs]
    if not isinstance(pairs, list) or not all(isinstance(each, list) and len(each) == 2 for each in pairs):
        raise reader.wrong(
            "not_above names two lists, the lower first", "guards", "not_above", hint='Like ["YARD", "SHOP"]'
        )
    return pairs


def _guards(reader: _RulesReader, raw: Mapping[str, Any], lists: tuple[str, ...] | None) -> Guards:
    reader.known_keys(raw, PRICE_GUARDS, "the guards", "guards")
    margins = raw.get("least_margin", {})
    margins = margins if isinstance(margins, dict) else {"": margins}
    _require_lists(reader, "least_margin", list(filter(None, margins)), lists)
    pairs = _not_above(reader, raw)
    _require_lists(reader, "not_above", [code for pair in pairs for code in pair], lists)
    severities = ("error", "warning", "allowed")

    def most(key: str) -> Decimal | None:
        return reader.share(raw[key], "guards", key) if key in raw else None

    def one(key: str, allowed: tuple[str, ...]) -> Any:
        return reader.one_of(reader.text_of(raw, key, "error", "guards"), allowed, key, "guards", key)

    return Guards(
        least_margin={code: reader.share(value, "guards", "least_margin") for code, value in margins.items()},
        most_up=most("most_up"),
        most_down=most("most_down"),
        below_cost=one("below_cost", severities),
        zero=one("zero", severities),
        not_above=tuple((low, high) for low, high in pairs),
        others=one("others", ("error", "warning")),
    )


def _outliers(reader: _RulesReader, raw: Mapping[str, Any]) -> Outliers:
    reader.known_keys(raw, PRICE_OUTLIERS, "the outliers", "outliers")
    usual = Outliers()
    deviations = reader.decimal(raw, "deviations", "outliers")
    if deviations is not None and deviations <= 0:
        raise reader.wrong("“deviations” must be above zero", "outliers", "deviations")
    return Outliers(
        reader.text_of(raw, "by", usual.by, "outliers"),
        deviations or usual.deviations,
        reader.share(raw["least"], "outliers", "least") if "least" in raw else usual.least,
    )


def _sheets(reader: _RulesReader, raw: Mapping[str, Any]) -> dict[str, FigureSheet]:
    sheets: dict[str, FigureSheet] = {}
    for name, given in raw.items():
        table = reader.table(given, f"sheet {name}", "sheets", name)
        reader.known_keys(table, PRICE_SHEET, "a sheet", "sheets", name)
        file = reader.text_of(table, "file", "", "sheets", name)
        if not file:
            raise reader.wrong(f"sheet {name} names no file", "sheets", name, hint='Like file = "keldrift-spring.xlsx"')
        sheets[name] = FigureSheet(
            file,
            reader.text_of(table, "map", "", "sheets", name) or None,
            reader.text_of(table, "sheet", "", "sheets", name) or None,
            reader.text_of(table, "match_on", "", "sheets", name) or None,
            reader.text_of(table, "currency", "", "sheets", name).upper() or None,
        )
    return sheets
