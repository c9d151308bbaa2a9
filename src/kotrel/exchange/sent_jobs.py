"""What became of a job that was sent to a service and not waited for."""

from __future__ import annotations

import re
from typing import Any

from msgspec import Struct

from kotrel.systems.service.service_system import ServiceSystem
from kotrel.workspace.settings import Workspace


class JobState(Struct, frozen=True):
    """A job as the service has it.

    Attributes:
        status: ``received``, ``working``, ``loaded``, ``tried``, ``refused``, ``changed meanwhile`` or ``failed``.
        number: of its load, or None where it has become none.
        refusals: the rows that the service refused.
    """

    reference: str
    status: str
    number: int | None
    message: str = ""
    refusals: tuple[dict[str, Any], ...] = ()


def job_load(reference: str, seconds: float, workspace: Workspace) -> JobState | None:
    """What became of a job; None where the text names none.

    Args:
        seconds: wait so long for its end.

    Raises:
        WrongUse: there is no such job.
    """
    system = workspace.system()
    if not isinstance(system, ServiceSystem) or not re.fullmatch(r"J[0-9a-f]{12}", reference):
        return None
    about = system.job(reference, seconds, lambda step: None)
    if about is None:
        return JobState(reference, "working", None)
    if about["status"] == "failed":
        problem = about.get("problem") or {}
        return JobState(reference, "failed", None, f"{problem.get('title', '')} {problem.get('detail', '')}".strip())
    result = about.get("result") or {}
    if result["outcome"] == "changed-meanwhile":
        return JobState(
            reference,
            "changed meanwhile",
            None,
            "somebody else changed the same rows; nothing was loaded: load it again",
        )
    return JobState(reference, result["outcome"], result.get("load"), "", tuple(result.get("refusals") or ()))
