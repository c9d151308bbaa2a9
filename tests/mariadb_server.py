"""A real MariaDB server in a private folder, on a free port of loopback,
that lives as long as the tests of one process.
"""

from __future__ import annotations

import atexit
import os
import shutil
import socket
import subprocess
import tempfile
import time
import unittest
import uuid
from functools import cache
from pathlib import Path
from typing import Any


def found() -> bool:
    """True where the server is installed."""
    return shutil.which("mariadbd") is not None and shutil.which("mariadb-install-db") is not None


def require() -> None:
    """Skips the tests of a class where there is no server; where CI says that it runs, there has to be one."""
    if not found():
        if os.environ.get("CI") == "true":
            raise AssertionError("CI runs without a MariaDB server: .ci/run installs it")
        raise unittest.SkipTest("no MariaDB server is installed (Debian: mariadb-server), so its tests are left out")


@cache
def port() -> int:
    """The port of a server that was just started; ``python -m tests`` starts one for all modules."""
    if running := os.environ.get("KOTREL_MARIADB"):
        return int(running)
    folder = Path(tempfile.mkdtemp(prefix="kotrel-maria-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        number = int(free.getsockname()[1])
    # It does not run as root: then it is another user's.
    user = ["--user=nobody"] if os.getuid() == 0 else []
    if user:
        shutil.chown(folder, "nobody")
        folder.chmod(0o755)
    data = f"--datadir={folder / 'data'}"
    subprocess.run(
        ["mariadb-install-db", "--no-defaults", data, "--auth-root-authentication-method=normal", "--skip-test-db", *user],
        check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    server = subprocess.Popen(
        ["mariadbd", "--no-defaults", data, f"--port={number}", "--bind-address=127.0.0.1", f"--socket={folder / 's'}",
         # Nothing has to outlive these tests.
         "--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=0", "--innodb-flush-method=nosync", *user],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    atexit.register(_stop, server)
    for _ in range(300):
        try:
            connect(number).close()
            return number
        except Exception:
            time.sleep(0.1)
    raise AssertionError("the MariaDB server did not start")


def _stop(server: subprocess.Popen[bytes]) -> None:
    server.terminate()
    try:
        server.wait(20)
    except subprocess.TimeoutExpired:
        server.kill()


def connect(number: int | None = None, database: str | None = None) -> Any:
    """A connection of the tests themselves."""
    import pymysql

    return pymysql.connect(
        host="127.0.0.1", port=number or port(), user="root", database=database, autocommit=True, charset="utf8mb4"
    )


def new_database(collation: str = "utf8mb4_unicode_ci") -> str:
    """The name of a new database."""
    name = f"t_{uuid.uuid4().hex}"
    with connect() as connection, connection.cursor() as cursor:
        cursor.execute(f"CREATE DATABASE {name} CHARACTER SET utf8mb4 COLLATE {collation}")
    return name


def url(database: str) -> str:
    """The address of a database."""
    return f"mysql://root@127.0.0.1:{port()}/{database}"


@cache
def shop() -> Path:
    """A workspace made once by ``kotrel init``, called as its database; tests work on copies of both."""
    if made := os.environ.get("KOTREL_MARIADB_SHOP"):
        return Path(made)
    from tests.support import practice_shop

    name = new_database()
    return practice_shop(name, url(name))


@cache
def _dump() -> bytes:
    done = subprocess.run(
        [
            "mariadb-dump",
            "--no-defaults",
            "-h127.0.0.1",
            f"--port={port()}",
            "-uroot",
            "--single-transaction",
            shop().name,
        ],
        check=True,
        capture_output=True,
    )
    return done.stdout


def shop_database() -> str:
    """The name of a new database with a practice system."""
    name = new_database()
    words = ["mariadb", "--no-defaults", "-h127.0.0.1", f"--port={port()}", "-uroot", name]
    subprocess.run(words, input=_dump(), check=True)
    return name


def start_shop(folder: Path) -> None:
    """Makes a folder a workspace with a new practice system."""
    template, name = shop(), shop_database()
    shutil.copytree(template, folder, dirs_exist_ok=True)
    settings = folder / "kotrel.toml"
    settings.write_text(settings.read_text("utf-8").replace(f"/{template.name}", f"/{name}"), "utf-8")
