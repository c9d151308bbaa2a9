"""The pictures that items name, as a service keeps them: which there are, one of them, and new ones."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import flask
from werkzeug.routing import BaseConverter

from kotrel.core.rows.system_state import FileFacts, Files
from kotrel.serving.requests import RequestMembers, Wrong, json_body, raw_body
from kotrel.systems.pictures import is_picture, store_picture, with_fingerprint, within
from kotrel.workspace.settings import Workspace


class PictureName(BaseConverter):
    """The name of a picture in an address, with its folders; ``facts`` is the address of something else."""

    regex = r"(?!facts$)[^/].*?"
    part_isolating = False


NOTHING_COMES: Mapping[str, FileFacts] = {}


def facts_from(said: Mapping[str, Any]) -> dict[str, FileFacts]:
    """What a job says of pictures that would be sent with it.

    Raises:
        AttributeError, KeyError, TypeError, ValueError: it is not said as the protocol says.
    """
    return {str(name): FileFacts(int(each["bytes"]), bool(each["is_picture"])) for name, each in said.items()}


def with_coming(files: Files | None, coming: Mapping[str, FileFacts]) -> Files | None:
    """The same pictures, and those that would be sent."""
    if files is None or not coming:
        return files
    return lambda names: {**{name: coming[name] for name in names if name in coming}, **(files(names) or {})}


def _facts_of(folder: Path, names: Iterable[str]) -> dict[str, dict[str, Any]]:
    """What is known of the pictures that are there, by name."""
    found = {name: with_fingerprint(folder, name) for name in names}
    return {
        name: {"bytes": each.bytes, "is_picture": each.is_picture, "sha256": each.sha256}
        for name, each in found.items()
        if each is not None
    }


def add_pictures(app: flask.Flask, workspace: Workspace, body_bytes: int) -> None:
    """Adds the addresses under ``/v1/pictures``."""
    folder, largest = workspace.picture_folder, workspace.largest_picture

    @app.post("/v1/pictures/facts")
    def picture_facts() -> Any:
        asked = RequestMembers(json_body(body_bytes))
        asked.require("names")
        names = asked.texts("names")
        return {"kept": folder is not None, "pictures": {} if folder is None else _facts_of(folder, names)}

    @app.get("/v1/pictures/<picture:name>")
    def picture(name: str) -> Any:
        path = within(folder, name) if folder is not None else None
        if path is None or not path.is_file():
            raise Wrong(404, f"there is no picture {name}", "no-such-picture")
        return flask.Response(path.read_bytes(), content_type="application/octet-stream")

    @app.put("/v1/pictures/<picture:name>")
    def new_picture(name: str) -> Any:
        if folder is None:
            raise Wrong(409, "this service keeps no pictures", "no-pictures")
        content = raw_body(largest)
        path = within(folder, name)
        if path is None or not is_picture(content[:16]):
            raise Wrong(422, f"{name} is not a picture, or no name for one", "no-picture")
        known = with_fingerprint(folder, name)
        if known is not None:
            if known.sha256 != hashlib.sha256(content).hexdigest():
                raise Wrong(409, f"there is another picture {name}: nothing is overwritten", "picture-differs")
            return flask.Response(status=204)
        store_picture(path, content)
        return flask.Response(status=201)
