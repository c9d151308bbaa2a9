"""Pictures that items name: in a folder, and at a service."""

from __future__ import annotations

import json
import urllib.error
import urllib.request
from pathlib import Path

from tests.support import Program

PNG = b"\x89PNG\r\n\x1a\n"


class AtAService(Program):
    def setUp(self) -> None:
        super().setUp()
        self.behind = self.start_on_service(
            settings='\n[pictures]\nfolder = "kept"\nat_most_mb = 1\n', prepare=self.prepare
        )
        (self.folder / "mine").mkdir()
        self.write("items.csv", "Item code,Description,Base unit,Category,Pictures", "ROP-41001,Rope,M,ROPE,mast #1 50% å.png; sub/boat.png",
                   "ROP-41002,Rope 2,M,ROPE,hull.png")  # fmt: skip

    def prepare(self, behind: Path) -> None:
        (behind / "kept").mkdir()
        (behind / "kept" / "hull.png").write_bytes(PNG + b"hull")

    def kinds(self, *more: str) -> dict[str, list[str]]:
        done = self.json("check", "items.csv", *more, status=None)
        found: dict[str, list[str]] = {}
        for each in done["findings"]:
            found.setdefault(each["kind"], []).append(each["value"])
        return found

    def ask(self, method: str, path: str, content: bytes | None = None) -> tuple[int, bytes]:
        url = (self.folder / "kotrel.toml").read_text("utf-8").split('url = "')[1].split('"')[0]
        try:
            with urllib.request.urlopen(urllib.request.Request(url + path, content, method=method)) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as error:
            return error.code, error.read()

    def test_the_service_says_which_it_keeps_and_a_load_sends_the_others(self) -> None:
        self.assertEqual(self.kinds()["file-missing"], ["mast #1 50% å.png", "sub/boat.png"])
        mine = self.folder / "mine"
        (mine / "sub").mkdir()
        (mine / "mast #1 50% å.png").write_bytes(PNG + b"mast")
        self.assertEqual(self.kinds("--pictures", "mine")["file-missing"], ["sub/boat.png"])
        (mine / "sub" / "boat.png").write_bytes(PNG + b"boat")
        self.assertNotIn("file-missing", self.kinds("--pictures", "mine"))
        self.kotrel("load", "items.csv", "--pictures", "mine", "--trial")
        kept = self.behind / "kept"
        self.assertEqual([path.name for path in kept.rglob("*.png")], ["hull.png"], "a trial sends nothing")
        self.kotrel("load", "items.csv", "--pictures", "mine", "--yes")
        self.assertEqual({path.relative_to(kept).as_posix(): path.read_bytes()[8:] for path in kept.rglob("*.png")},
                         {"hull.png": b"hull", "mast #1 50% å.png": b"mast", "sub/boat.png": b"boat"})  # fmt: skip

    def test_no_picture_is_ever_overwritten(self) -> None:
        (self.folder / "mine" / "hull.png").write_bytes(PNG + b"another")
        self.assertEqual(self.kinds("--pictures", "mine")["picture-differs"], ["hull.png"])
        self.assertEqual(self.ask("PUT", "/v1/pictures/hull.png", PNG + b"another")[0], 409)
        self.assertEqual(self.ask("PUT", "/v1/pictures/hull.png", PNG + b"hull")[0], 204)
        self.assertEqual(self.ask("GET", "/v1/pictures/hull.png"), (200, PNG + b"hull"))

    def test_what_is_no_picture_or_leads_out_is_not_taken(self) -> None:
        for name, content, status in (
            ("words.png", b"only words", 422),
            ("../out.png", PNG, 422),
            ("%2e%2e/out.png", PNG, 422),
            ("big.png", PNG + bytes(1_000_001), 413),
            ("new.png", PNG, 201),
        ):
            with self.subTest(name):
                self.assertEqual(self.ask("PUT", f"/v1/pictures/{name}", content)[0], status)
        self.assertFalse((self.behind / "out.png").exists())
        facts = json.loads(
            self.ask("POST", "/v1/pictures/facts", b'{"names": ["new.png", "../kotrel.toml", "gone.png"]}')[1]
        )
        self.assertEqual((facts["kept"], list(facts["pictures"])), (True, ["new.png"]))
        self.assertEqual(self.ask("POST", "/v1/pictures/facts", b'{"names": 1}')[0], 422)
