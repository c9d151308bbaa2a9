"""``python -m tests.faults [COUNT [SEED]]``: puts COUNT faults (default 80) into the code, one at a time.

For each it runs the tests nearest to it; what they let pass meets all tests of that part of the house, and those that
drive the program there. It prints what survived. Exit status 1 where fewer than 85 of 100 are caught.
"""

from __future__ import annotations

import compileall
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue

from tests.faults.known import HARMLESS
from tests.faults.making import Fault, faults_of

ROOT = Path(__file__).parents[2]
SOURCE = ROOT / "src" / "kotrel"
WANTED = 85
"""Per cent of the faults that the tests have to catch."""

CORE = "tests.core"
MERGING = (
    "tests.systems.test_merging",
    "tests.systems.test_own_rules",
    "tests.systems.test_sql",
    "tests.systems.test_taking_back",
    "tests.cli.test_other_shapes",
)
PLACES = {
    "core/normalizing": ("tests.sheets.test_shown", f"{CORE}.normalizing.test_cells", f"{CORE}.normalizing.test_columns", f"{CORE}.normalizing.test_price_units", f"{CORE}.checking.test_checks"),
    "core/resolving/repairing.py": (f"{CORE}.resolving.test_barcode_repairs", f"{CORE}.resolving.test_doubtful_codes", f"{CORE}.resolving.test_repairing", f"{CORE}.resolving.test_lost_codes", "tests.sheets.test_shown", f"{CORE}.resolving.test_found_by"),
    "core/tables/number_display.py": ("tests.sheets.test_number_formats", "tests.sheets.test_shown"),
    "core/tables/headings.py": (f"{CORE}.tables.test_detection", "tests.sheets.test_shown"),
    "sheets/ooxml/binary_parts.py": ("tests.sheets.test_rare_workbooks",),
    "sheets/ooxml/number_formats.py": ("tests.sheets.test_number_formats", "tests.sheets.test_shown", "tests.sheets.test_rare_workbooks"),
    "core/resolving/three_way.py": (f"{CORE}.resolving.test_three_way", f"{CORE}.resolving.test_exported_sheets"),
    "core/resolving/row_lookup.py": (f"{CORE}.resolving.test_row_lookup", f"{CORE}.resolving.test_load_options", f"{CORE}.resolving.test_other_codes"),
    "core/resolving/near_duplicates.py": (f"{CORE}.resolving.test_near_duplicates", f"{CORE}.resolving.test_other_codes", f"{CORE}.resolving.test_found_by"),
    "core/resolving/filling.py": (f"{CORE}.resolving.test_filling", f"{CORE}.resolving.test_row_lookup", f"{CORE}.resolving.test_load_options"),
    "core/changes": (f"{CORE}.changes.test_journal", f"{CORE}.changes.test_change_set", f"{CORE}.changes.test_results", f"{CORE}.changes.test_plan_pieces", f"{CORE}.changes.test_seal", f"{CORE}.changes.test_system_remarks", f"{CORE}.resolving.test_load_options", f"{CORE}.resolving.test_repairing"),
    "core/checking": (f"{CORE}.checking.test_list_currency", f"{CORE}.checking.test_alphabets", f"{CORE}.checking.test_against_others", f"{CORE}.checking.test_families", f"{CORE}.checking.test_checks", f"{CORE}.checking.test_rules", f"{CORE}.checking.test_model"),
    "core/loading/pipeline.py": (f"{CORE}.loading.test_pipeline", f"{CORE}.resolving.test_other_codes"),
    "core/resolving/other_codes.py": (f"{CORE}.resolving.test_known_as", f"{CORE}.resolving.test_found_by", f"{CORE}.resolving.test_other_codes", f"{CORE}.resolving.test_row_lookup"),
    "core/resolving/list_additions.py": (f"{CORE}.resolving.test_found_by", f"{CORE}.resolving.test_other_codes", f"{CORE}.resolving.test_load_options", f"{CORE}.loading.test_pipeline"),
    "core/resolving/exported_sheets.py": (f"{CORE}.resolving.test_exported_sheets",),
    "core/matching/row_choice.py": (f"{CORE}.resolving.test_found_by", f"{CORE}.resolving.test_other_codes"),
    "core/changes/seal.py": ("tests.systems.test_seal", f"{CORE}.changes.test_seal"),
    "core/documents": (f"{CORE}.documents.test_document_checks", f"{CORE}.documents.test_ledger_posting", f"{CORE}.documents.test_fulfilment", f"{CORE}.documents.test_flat_sheets"),
    "core/counting": (f"{CORE}.counting.test_entries", f"{CORE}.counting.test_classify_lines", f"{CORE}.counting.test_variance", f"{CORE}.counting.test_count_posting"),
    "core/stock": (f"{CORE}.stock.test_stock", f"{CORE}.documents.test_ledger_posting"),
    "core/pricing/price_impact.py": (f"{CORE}.pricing.test_price_impact",),
    "core/values/scans.py": (f"{CORE}.values.test_scans",),
    "systems/sql/merging.py": MERGING,
    "systems/sql/staging.py": MERGING,
    "systems/sql/refusals.py": MERGING,
    "systems/sql/reading_back.py": MERGING,
    "systems/sql/exactness.py": MERGING,
}  # fmt: skip
"""Folder or file → the test modules nearest to it."""
SHEETS = (
    "tests.cli.test_sheets",
    "tests.cli.test_one_answer",
    "tests.cli.test_exports",
    "tests.cli.test_supplier_lists",
    "tests.cli.test_several_sheets",
)
FARTHER = {
    "core/normalizing": SHEETS,
    "core/tables": SHEETS,
    "core/matching": SHEETS,
    "core/resolving": SHEETS,
    "core/checking": SHEETS,
    "core/loading": (*SHEETS, "tests.cli.test_prices"),
    "core/changes": ("tests.cli.test_undo", "tests.cli.test_masters", "tests.cli.test_exports", "tests.systems.test_taking_back"),
    "core/documents": ("tests.cli.test_documents", "tests.cli.test_other_shapes", "tests.cli.test_undo"),
    "core/stock": ("tests.cli.test_documents", "tests.systems.test_kept_balances"),
    "core/counting": ("tests.counting.test_batch_reading", "tests.counting.test_count_files", "tests.cli.test_counts", "tests.cli.test_count_lists", "tests.cli.test_counts_without_ledger"),
    "core/pricing": ("tests.cli.test_prices",),
    "core/values": ("tests.cli.test_one_answer",),
    "sheets/ooxml": ("tests.sheets.test_reading", "tests.sheets.test_odd_files", "tests.sheets.test_copied_cells"),
    "systems/sql": ("tests.systems.test_own_refusals", "tests.systems.test_outcome_pages", "tests.systems.test_drafted_systems"),
}  # fmt: skip
"""Part of the house → tests that drive the program there; those of the folder with the same name are added."""


def farther(file: str) -> tuple[str, ...]:
    """The test modules that a fault in a file meets when the nearest have let it pass."""
    part = next(part for part in FARTHER if file.startswith(part))
    mirrored = sorted((ROOT / "tests" / part).glob("test_*.py"))
    return (*(".".join(path.relative_to(ROOT).with_suffix("").parts) for path in mirrored), *FARTHER[part])


def chosen(count: int, seed: int) -> list[tuple[Fault, tuple[str, ...]]]:
    """So many faults, spread over the places; the same seed gives the same."""
    pick = random.Random(seed)
    each: list[list[tuple[Fault, tuple[str, ...]]]] = []
    for place, modules in PLACES.items():
        path = SOURCE / place
        files = sorted(path.rglob("*.py")) if path.is_dir() else [path]
        there = [
            (fault, modules)
            for file in files
            for fault in faults_of(file.relative_to(SOURCE).as_posix(), file.read_text("utf-8"))
            if fault.name.split(" ", 1)[1] not in HARMLESS.get(fault.file, {})
        ]
        pick.shuffle(there)
        each.append(there)
    found: list[tuple[Fault, tuple[str, ...]]] = []
    while len(found) < count and any(each):
        found += [there.pop() for there in each if there]
    return found[:count]


def is_caught(fault: Fault, modules: tuple[str, ...], folder: Path) -> bool:
    """True where a test fails with the fault in the code."""
    target = folder / "kotrel" / fault.file
    sound = target.read_text("utf-8")
    target.write_text(fault.source, "utf-8")
    rest = [each for each in farther(fault.file) if each not in modules]
    try:
        # A fault may make a loop endless; where the many tests take long, that says nothing.
        return not (_pass(modules, folder, 120, False) and _pass(rest, folder, 600, True))
    finally:
        target.write_text(sound, "utf-8")


def _pass(modules: Sequence[str], folder: Path, seconds: int, where_too_slow: bool) -> bool:
    """True where all tests of these modules pass with the code in a folder."""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "unittest", "-f", *modules], cwd=ROOT, capture_output=True, check=False, timeout=seconds,
            env={**os.environ, "PYTHONPATH": str(folder), "KOTREL_FAULTS": "1", "PYTHONDONTWRITEBYTECODE": "1"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return where_too_slow
    return done.returncode == 0


def main() -> int:
    count, seed = (
        (int(word) for word in [*sys.argv[1:], "80", "1"][:2]) if len(sys.argv) != 2 else (int(sys.argv[1]), 1)
    )
    faults = chosen(count, seed)
    workers = os.cpu_count() or 1
    with tempfile.TemporaryDirectory() as place:
        folders: Queue[Path] = Queue()
        for number in range(workers):
            folder = Path(place) / str(number)
            shutil.copytree(SOURCE, folder / "kotrel", ignore=shutil.ignore_patterns("__pycache__"))
            # Else each test, and each command that it runs, would compile all modules anew.
            compileall.compile_dir(folder, quiet=1)
            folders.put(folder)

        def judge(job: tuple[Fault, tuple[str, ...]]) -> bool:
            folder = folders.get()
            try:
                caught = is_caught(*job, folder)
            finally:
                folders.put(folder)
            print(f"{'caught  ' if caught else 'SURVIVED'} {job[0].name}", flush=True)
            return caught

        with ThreadPoolExecutor(workers) as pool:
            results = list(pool.map(judge, faults))
    caught = sum(results)
    print(f"\n{caught} of {len(faults)} faults caught ({100 * caught // len(faults)} %)")
    reasons = sum(len(each) for each in HARMLESS.values())
    print(f"{reasons} faults that change nothing anyone can see are left out; tests/faults/known.py says why.")
    return 0 if caught * 100 >= WANTED * len(faults) else 1


if __name__ == "__main__":
    sys.exit(main())
