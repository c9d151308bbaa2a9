"""Writes the reference pages of the docs that are made of tables in the code: ``python scripts/reference_pages.py``."""

from __future__ import annotations

from pathlib import Path

from kotrel.core.rows.finding_kinds import reference

DOCS = Path(__file__).parent.parent / "docs"

if __name__ == "__main__":
    (DOCS / "findings.md").write_text(reference(), encoding="utf-8")
