"""``kotrel export``: exports what the system holds; choices of rows and fields can be saved by name."""

from __future__ import annotations

import argparse
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct
from msgspec.structs import asdict

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.core.phrases import count, those_there
from kotrel.core.similarity import did_you_mean
from kotrel.loading.opening import now, workspace_of
from kotrel.loading.sheets_out.exporting import Exported, ExportRequest, export_records
from kotrel.screen.screen import Screen
from kotrel.sheets.safe_writing import free_name
from kotrel.workspace.settings import Workspace, is_file_name

FOLDER = "choices"


class ExportChoice(Struct, frozen=True):
    """Which records, fields and rows, in which order."""

    records: tuple[str, ...]
    fields: tuple[str, ...] = ()
    where: str | None = None
    sort: tuple[str, ...] = ()
    with_names: bool = False


def save_choice(hidden: Path, name: str, choice: ExportChoice) -> bool:
    """Saves a choice; returns True where it took the place of another one of that name.

    Raises:
        WrongUse: the name is none.
        OutOfReach: it cannot be written.
    """
    if not is_file_name(name):
        raise WrongUse(
            f"“{name}” is no name for a choice", "Use letters, digits, - and _, like ropes.", "wrong-command-line"
        )
    path = hidden / FOLDER / f"{name}.json"
    existed = path.exists()
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        soon = path.with_suffix(".soon")
        soon.write_text(json.dumps(asdict(choice), ensure_ascii=False, indent=1), "utf-8")
        soon.replace(path)
    except OSError as error:
        raise OutOfReach(f"{path} cannot be written: {error.strerror or error}", "", "no-right") from None
    return existed


def saved_choice(hidden: Path, name: str) -> ExportChoice:
    """The choice of that name.

    Raises:
        WrongUse: there is none, or its file is damaged.
    """
    path = hidden / FOLDER / f"{name}.json"
    try:
        said = json.loads(path.read_text("utf-8"))
        records, fields, sort = (tuple(said[key]) for key in ("records", "fields", "sort"))
        where = said["where"]
        if not all(isinstance(each, str) for each in (*records, *fields, *sort, where or "")):
            raise TypeError
        return ExportChoice(records, fields, where, sort, bool(said["with_names"]))
    except FileNotFoundError:
        there = sorted(each.stem for each in (hidden / FOLDER).glob("*.json"))
        hint = did_you_mean(name, there, those_there("saved choices", there, "--save NAME saves one."))
        raise WrongUse(f"there is no saved choice “{name}”", hint, "no-such-choice") from None
    except (OSError, ValueError, KeyError, TypeError):
        raise WrongUse(
            f"{path} is damaged", "Save the choice again: kotrel export … --save NAME", "no-such-choice"
        ) from None


EXAMPLE = """\
kotrel export item -o ropes.xlsx --fields code,description,price --where "category begins with 'ROPE' and cost > 1"
    chosen fields of chosen items
kotrel export item -o most-expensive-first.csv --sort "price down,code"
    all fields, highest price first
kotrel export item -o ropes.xlsx --fields code,price --where "category begins with 'ROPE'" --save ropes
kotrel export --saved ropes chains
    the same choices again, each into a file of its name"""


def arguments(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("records", nargs="*", metavar="RECORD", help="the records to export")
    parser.add_argument("-o", "--output", metavar="FILE", help="the file to write: .xlsx, .ods, .csv or .tsv")
    parser.add_argument("--save", metavar="NAME", help="remember this choice of rows and fields by a name")
    parser.add_argument(
        "--saved", nargs="+", default=[], metavar="NAME", help="export saved choices again, each to NAME.xlsx"
    )
    parser.add_argument("--fields", metavar="A,B", default="", help="only these fields (the key is always included)")
    parser.add_argument(
        "--where", metavar="EXPRESSION", help="only rows for which this is true (docs/reference/expressions.md)"
    )
    parser.add_argument("--sort", metavar="A,B", default="", help='sort by these fields; "price down" sorts downwards')
    parser.add_argument("--with-names", action="store_true", help="add the name beside each code")
    parser.add_argument("--into", metavar="BOOK", help="add the sheets to a copy of this workbook")


def run(args: argparse.Namespace, screen: Screen) -> int:
    workspace = workspace_of(args, screen)
    if args.saved:
        return _export_saved(args, screen, workspace)
    if not args.records or not args.output:
        raise WrongUse(
            "export needs a record and a file", "Like: kotrel export item -o items.xlsx", "wrong-command-line"
        )
    chosen = ExportRequest(_names(args.fields), args.where, _names(args.sort), args.with_names)
    into = Path(args.into) if args.into else None
    with screen.progress(len(args.records) + 1) as step:
        exported = export_records(args.records, Path(args.output), workspace, chosen, into, now(), step)
    if args.save:
        replaced = save_choice(
            workspace.hidden,
            args.save,
            ExportChoice(tuple(args.records), chosen.fields, chosen.where, chosen.sort, chosen.with_names),
        )
    if screen.as_json:
        screen.json(exported_json([exported]))
        return 0
    for record, rows in exported.rows.items():
        screen.show(f"{record}: {count(rows, 'row')}")
    screen.show(f"Written: {exported.path}")
    if exported.path.suffix.lower() in (".csv", ".tsv", ".tab", ".txt"):
        screen.show("A spreadsheet program drops leading zeros when it opens a text file; .xlsx keeps them.")
    if args.save:
        was = " in place of the former one" if replaced else ""
        screen.show(f"Saved as {args.save}{was}. Again: kotrel export --saved {args.save}")
    return 0


def exported_json(done: Sequence[Exported]) -> dict[str, Any]:
    """Exported files as ``--json`` gives them."""
    return {"files": [{"file": str(each.path), "rows": each.rows, "export": each.stamp} for each in done]}


def _export_saved(args: argparse.Namespace, screen: Screen, workspace: Workspace) -> int:
    """Exports saved choices, each into a file of its name; a file that is there stays."""
    if args.records or args.save:
        raise WrongUse("--saved says everything: records and --save do not go with it", "", "wrong-command-line")
    if args.output and len(args.saved) > 1:
        raise WrongUse("-o names one file, and several choices need several", "Leave out -o.", "wrong-command-line")
    choices = [(name, saved_choice(workspace.hidden, name)) for name in args.saved]
    done = []
    with screen.progress(sum(len(choice.records) + 1 for _, choice in choices)) as step:
        for name, choice in choices:
            chosen = ExportRequest(choice.fields, choice.where, choice.sort, choice.with_names)
            path = Path(args.output) if args.output else free_name(Path(f"{name}.xlsx"))
            done.append(export_records(choice.records, path, workspace, chosen, None, now(), step))
    if screen.as_json:
        screen.json(exported_json(done))
        return 0
    for each in done:
        counts = [f"{record}: {count(rows, 'row')}" for record, rows in each.rows.items()]
        screen.show(f"Written: {each.path}   {', '.join(counts)}")
    return 0


def _names(text: str) -> tuple[str, ...]:
    return tuple(name.strip() for name in text.split(",") if name.strip())
