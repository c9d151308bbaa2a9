"""Runs the service on this machine until it is stopped."""

from __future__ import annotations

import logging
import os
import secrets
import sys
from collections.abc import Callable, Mapping

from kotrel.core.errors import OutOfReach, WrongUse
from kotrel.practice.trade import require_practice
from kotrel.serving.app import Service, create_app
from kotrel.serving.faults import FAULTS, with_faults
from kotrel.workspace.settings import Workspace

HOST = "127.0.0.1"
"""Other machines cannot reach it: it is for trying."""


def faults_of(text: str) -> dict[str, float]:
    """``drop=0.1,error`` → how often each fault happens; without a number, every tenth time.

    Raises:
        WrongUse: there is no such fault.
    """
    faults: dict[str, float] = {}
    for named_fault in filter(None, (part.strip() for part in text.split(","))):
        name, _, chance = named_fault.partition("=")
        try:
            faults[name] = float(chance or 0.1)
        except ValueError:
            faults[name] = -1
        if name not in FAULTS or not 0 <= faults[name] <= 1:
            said = "; ".join(f"{fault}: {what}" for fault, what in FAULTS.items())
            raise WrongUse(f"“{named_fault}” is no fault", f"They look like drop=0.1. {said}", "wrong-command-line")
    return faults


def serve(
    workspace: Workspace,
    port: int,
    everybody: bool,
    body_bytes: int,
    rate: float | None,
    slow: float,
    chances: Mapping[str, float],
    seed: int,
    ready: Callable[[str, str | None], None],
) -> None:
    """Serves a workspace's practice system.

    Args:
        ready: called with the address and the token once it can be reached.

    Raises:
        WrongUse: the system is no practice system.
        OutOfReach: the port is taken.
    """
    import waitress

    require_practice(workspace.description)
    token = None if everybody else os.environ.get("KOTREL_TOKEN") or secrets.token_urlsafe(18)
    service = Service(workspace, token, body_bytes, rate, slow)
    app = create_app(service)
    try:
        server = waitress.create_server(
            with_faults(app, chances, seed) if chances else app,
            host=HOST,
            port=port,
            threads=8,
            max_request_body_size=2 * body_bytes,
            clear_untrusted_proxy_headers=True,
            ident="kotrel",
            connection_limit=1_000,
            channel_timeout=20,
            cleanup_interval=5,
        )
    except OSError as error:
        raise OutOfReach(
            f"port {port} cannot be used: {error.strerror or error}", "Take another one: --port 8766", "port-taken"
        ) from None
    # What it says of broken connections is of no use to people: the faults are asked for.
    logging.getLogger("waitress").setLevel(logging.CRITICAL)
    service.jobs.start()
    ready(f"http://{HOST}:{server.effective_port}", token)
    sys.stdout.flush()
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        server.close()
