"""The service as a whole: requests made from its own document, and who may do what."""

from __future__ import annotations

import os
import unicodedata
import unittest
from typing import Any

from kotrel.serving.app import Service, create_app
from kotrel.workspace.settings import open_workspace
from tests.fuzz.service import ask
from tests.support import Program


class Fuzzed(unittest.TestCase):
    """Eight seconds, or more, of requests made from the service's own document; ``make fuzz`` takes ten minutes."""

    def test_every_answer_is_as_the_document_says(self) -> None:
        # On a machine that does much else, eight seconds are over before all have been asked.
        for seconds in (8, 30, 90):
            done = ask(seconds, 7)
            self.assertEqual(done.returncode, 0, done.stdout[-8_000:] + done.stderr[-2_000:])
            if "Tested: 22" in done.stdout:
                break
        self.assertIn("Tested: 22", done.stdout)


class Rights(Program):
    """Several tokens, each with its rights and its jobs; what the service keeps, and for whom."""

    def setUp(self) -> None:
        super().setUp()
        self.start_shop()
        self.own = create_app(Service(open_workspace(self.folder), "own")).test_client()

    def new_token(self, name: str, rights: str) -> dict[str, str]:
        made = self.json("practice", "serve", "--new-token", name, "--rights", rights)
        return {"Authorization": f"Bearer {made['token']}"}

    def job(self, who: dict[str, str], key: str, **more: Any) -> Any:
        plan = {"kind": "load", "parts": [{"record": "brand", "fields": ["code"]}], **more}
        return self.own.post("/v1/jobs", json=plan, headers={**who, "Idempotency-Key": key})

    def test_a_token_may_do_what_it_says_and_sees_its_own_jobs(self) -> None:
        reader, clerk, other = (self.new_token(name, rights) for name, rights in
                                (("reader", "read"), ("clerk", "read,load"), ("other", "read,load,undo")))  # fmt: skip
        read = {"fields": ["code"]}
        self.assertEqual(self.own.post("/v1/records/brand/read", json=read, headers=reader).status_code, 200)
        refused = self.job(reader, "k1")
        self.assertEqual((refused.status_code, refused.json["kind"]), (403, "no-right"))
        self.assertEqual(self.job(clerk, "k1", undo={"of": 1, "date": "2026-11-30"}).status_code, 403)
        mine = self.job(clerk, "k1")
        # The same key of somebody else is another job.
        theirs = self.job(other, "k1")
        self.assertEqual((mine.status_code, theirs.status_code), (201, 201))
        self.assertNotEqual(mine.json["job"], theirs.json["job"])
        path = f"/v1/jobs/{mine.json['job']}"
        asked = [self.own.get(path, headers=who).status_code for who in (clerk, other, {"Authorization": "Bearer own"})]
        self.assertEqual(asked, [200, 404, 200])
        self.assertEqual(len(self.own.get("/v1/jobs", headers=other).json["jobs"]), 1)
        # Struck out, it is refused at once, without a restart; so is everybody while the file is half written.
        tokens = self.folder / ".kotrel" / "service" / "tokens.toml"
        text = tokens.read_text("utf-8")
        self.assertNotIn(clerk["Authorization"].removeprefix("Bearer "), text, "only its fingerprint is kept")
        tokens.write_text(text[text.index("[other]") :], "utf-8")
        self.assertEqual([self.own.get("/v1", headers=who).status_code for who in (clerk, other)], [401, 200])
        tokens.write_text("[other", "utf-8")
        self.assertEqual(self.own.get("/v1", headers=other).status_code, 401)
        self.assertEqual(self.own.get("/v1", headers={"Authorization": "Bearer own"}).status_code, 200)

    def test_wrong_tokens_count_against_the_rate(self) -> None:
        client = create_app(Service(open_workspace(self.folder), "own", rate=5)).test_client()
        answers = [client.get("/v1", headers={"Authorization": f"Bearer {n}"}).status_code for n in range(8)]
        self.assertEqual(answers, [401] * 5 + [429] * 3)

    def test_the_length_of_a_body_is_said_in_one_way(self) -> None:
        both = {"Authorization": "Bearer own", "Transfer-Encoding": "chunked", "Content-Length": "2"}
        answer = self.own.post("/v1/sums", data=b"{}", headers=both)
        self.assertEqual((answer.status_code, answer.headers["Connection"]), (400, "close"))

    @unittest.skipIf(os.name == "nt", "Windows gives files the rights of their folder by itself")
    def test_what_is_kept_has_the_rights_of_its_folder(self) -> None:
        for rights in (0o770, 0o700):
            folder = self.folder / f"shared-{rights:o}"
            folder.mkdir()
            folder.chmod(rights)
            self.kotrel("init", str(folder))
            self.write("a.csv", "Item code,Note", "ROP-00010,x")
            self.kotrel("-w", str(folder), "load", "a.csv", "--yes")
            self.kotrel("-w", str(folder), "count", "freeze", "c", "--stopped", "--where", "code is 'ROP-00010'")
            self.json("-w", str(folder), "export", "item", "-o", f"e{rights}.xlsx", "--fields", "cost")
            inside = [path for path in folder.rglob("*") if path.is_dir() or path.suffix in (".db", ".count")]
            wrong = {path.name: oct(path.stat().st_mode & 0o777) for path in inside
                     if path.stat().st_mode & 0o777 != (rights if path.is_dir() else rights & 0o666)}  # fmt: skip
            self.assertEqual(wrong, {})
            self.assertTrue(any(path.suffix == ".count" for path in inside))

    def test_a_picture_has_one_name_in_any_form(self) -> None:
        pictures = self.folder / "pictures"
        pictures.mkdir()
        with (self.folder / "kotrel.toml").open("a", encoding="utf-8") as file:
            file.write('\n[pictures]\nfolder = "pictures"\n')
        client = create_app(Service(open_workspace(self.folder), "own")).test_client()
        own, content = {"Authorization": "Bearer own"}, b"\x89PNG\r\n\x1a\n" + b"0" * 20
        composed, apart = (unicodedata.normalize(form, "größe.png") for form in ("NFC", "NFD"))
        (pictures / apart).write_bytes(content)
        facts = client.post("/v1/pictures/facts", json={"names": [composed, apart]}, headers=own).json["pictures"]
        self.assertEqual(facts[composed]["sha256"], facts[apart]["sha256"])
        put = client.put(f"/v1/pictures/{composed}", data=content, headers=own)
        self.assertEqual((put.status_code, len(list(pictures.iterdir()))), (204, 1))
