"""``python -m tests.fuzz.service SECONDS SEED``: requests made from the service's own document, sound and broken, in
any order.

No answer may be one that the document does not have, nothing that breaks the document may be taken, and no request may
be without an answer. Exit status 1 where one was.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

from tests.support import Program

CONFIG = Path(__file__).parent / "schemathesis.toml"


def ask(seconds: float, seed: int) -> subprocess.CompletedProcess[str]:
    """Asks a service on a practice system of its own for so long."""
    program = Program()
    program.setUp()
    program.start_shop()
    serve = [sys.executable, "-m", "kotrel", "practice", "serve", "--port", "0", "--json"]
    environment = {**os.environ, "KOTREL_TOKEN": "fuzz", "PYTHONUTF8": "1"}
    with subprocess.Popen(serve, cwd=program.folder, env=environment, stdout=subprocess.PIPE, text=True) as service:
        try:
            assert service.stdout is not None
            url = json.loads(service.stdout.readline())["url"]
            words = ("--max-time", f"{seconds:g}", "--seed", f"{seed}", "--no-color", "--suppress-health-check", "all")
            document, key = f"{url}/v1/openapi.json", "Authorization: Bearer fuzz"
            command = [
                sys.executable,
                "-m",
                "schemathesis.cli",
                "--config-file",
                str(CONFIG),
                "run",
                document,
                "--header",
                key,
                *words,
            ]
            return subprocess.run(command, capture_output=True, text=True, encoding="utf-8", cwd=program.folder)
        finally:
            service.terminate()
            service.wait()
            program.doCleanups()


if __name__ == "__main__":
    seconds, seed = (*sys.argv[1:], *("600", "1")[len(sys.argv) - 1 :])
    done = ask(float(seconds), int(seed))
    print(done.stdout[-20_000:] + done.stderr[-2_000:])
    sys.exit(done.returncode)
