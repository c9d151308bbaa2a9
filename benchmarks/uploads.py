"""Other ways in: a load over HTTP on this machine against the direct one,
and an upload file against Polars writing that CSV.
"""

from __future__ import annotations

import subprocess
import time
from pathlib import Path

from benchmarks import data
from benchmarks.databases import PostgresBench, SqliteBench
from benchmarks.timing import Timed, kotrel, process, python

PORT = 8799


def over_http(folder: Path, rows: int, runs: int) -> tuple[Timed, Timed]:
    """``load`` of new items over HTTP on loopback, and straight into the same PostgreSQL."""
    bench = PostgresBench(folder / "behind", folder / "behind_server")
    sheet = folder / "service.csv"
    data.write_items(sheet, rows)
    direct = process(kotrel("load", str(sheet), "--yes"), bench.folder, runs, bench.start_again)
    served = subprocess.Popen(
        kotrel("practice", "serve", "--open", "--port", str(PORT), "--quiet"),
        cwd=bench.folder,
        stdout=subprocess.DEVNULL,
    )
    try:
        time.sleep(3)
        client = folder / "client"
        subprocess.run(
            kotrel("init", str(client), "--system", f"http://127.0.0.1:{PORT}"), check=True, stdout=subprocess.DEVNULL
        )
        ours = process(kotrel("load", str(sheet), "--yes"), client, runs, bench.start_again)
    finally:
        served.kill()
        served.wait()
    return ours, direct


def written(folder: Path, rows: int, runs: int) -> tuple[Timed, Timed]:
    """``write`` of so many rows of twenty fields as text, and Polars reading that sheet and writing it."""
    state = SqliteBench(folder / "write", 1_000)
    sheet, out = folder / "write.csv", folder / "upload.csv"
    data.write_items(sheet, rows)
    names = list(data.items(1).columns)
    columns = "\n".join(f'[[column]]\nheading = "{name}"\nfield = "{name}"\n' for name in names)
    (state.folder / "layouts" / "up.toml").write_text(f'record = "item"\n{columns}', "utf-8")

    def again() -> None:
        out.unlink(missing_ok=True)

    ours = process(kotrel("write", str(sheet), "--layout", "up", "-o", str(out)), state.folder, runs, again)
    plain = f"import polars; polars.read_csv({str(sheet)!r}, infer_schema=False).write_csv({str(out)!r})"
    return ours, process(python("-c", plain), folder, runs, again)
