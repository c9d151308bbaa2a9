from __future__ import annotations

import base64
import gzip
import hashlib
import http.server
import json
import sqlite3
import threading
import time
import unittest
import urllib.error
import urllib.request
from importlib import resources
from typing import Any
from unittest.mock import patch

import jsonschema
from openapi_spec_validator import validate

from kotrel.core.errors import OutOfReach
from kotrel.serving.carrying_out import carry_out
from kotrel.serving.jobs import Jobs
from kotrel.systems.service.client import Client
from kotrel.workspace.settings import open_workspace
from tests.cli import test_documents, test_undo
from tests.support import Program

HEADINGS = "Code,Description,Unit,Category,Cost"


class DocumentsOnService(test_documents.OnSqlite):
    """The same suite of documents, its figures too, over HTTP, but for what only the client does."""

    test_a_daily_file_of_orders = test_good_rows_post_whole_documents = None  # type: ignore[assignment]
    test_one_column_for_each_warehouse = test_a_template_of_three_sheets_comes_back = None  # type: ignore[assignment]
    test_quantities_of_new_items_are_said_to_belong_elsewhere = None  # type: ignore[assignment]
    test_a_sheet_of_quantities_is_never_guessed = None  # type: ignore[assignment]
    test_what_to_order_is_written_as_orders_that_load = None  # type: ignore[assignment]

    def start_shop(self) -> None:
        behind = self.start_on_service()
        (self.folder / "practice.db").symlink_to(behind / "practice.db")


class UndoOnService(test_undo.Undo):
    """What only looks at the rows in the way is the same code at either end."""

    test_whatever_one_load_brings_its_undo_takes_away = None  # type: ignore[assignment]
    test_an_item_that_somebody_else_has_moved_stays_blocked_by = None  # type: ignore[assignment]
    test_an_undo_that_is_in_somebodys_way_is_refused_with_both_values = None  # type: ignore[assignment]

    def start_shop(self) -> None:
        behind = self.start_on_service()
        (self.folder / "practice.db").symlink_to(behind / "practice.db")


class Faults(Program):
    """Connections that break, errors before and after the work, requests that come twice, answers that get lost."""

    def items(self) -> list[str]:
        with sqlite3.connect(self.behind / "practice.db") as database:
            return [code for (code,) in database.execute("SELECT code FROM item WHERE code LIKE 'NEW-%' ORDER BY code")]

    def test_never_lost_never_doubled(self) -> None:
        chances = dict.fromkeys(("error", "late-error", "drop", "twice", "lose-status"), 0.12)
        self.behind = self.start_on_service(chances)
        codes = [f"NEW-{n:03d}" for n in range(40)]
        self.write("a.csv", HEADINGS, *(f"{code},Thing {code},EA,ROPE,2.50" for code in codes))
        self.assertEqual(self.json("load", "a.csv", "--yes")["status"], "loaded")
        self.assertEqual(self.items(), codes)
        self.assertEqual(self.json("load", "a.csv", "--yes")["status"], "nothing to do")
        # The same receipt under faults: what is received is received once.
        self.write("r.csv", "Item,Warehouse,Quantity,Unit,Cost", "NEW-001,QUAY,10,EA,2.50")
        self.json("load", "r.csv", "--as", "goods_receipt", "--number", "R-1", "--yes")
        self.assertEqual([each["on_hand"] for each in self.json("stock", "NEW-001")["rows"]], ["10"])
        self.assertEqual(self.json("undo", "L0002", "--yes")["status"], "undone")
        self.assertEqual(self.json("undo", "L0001", "--yes", status=None)["status"], "refused")


class Protocol(Program):
    """A second client, that knows nothing of Kotrel, against the document."""

    def setUp(self) -> None:
        super().setUp()
        self.behind = self.start_on_service(body_bytes=200_000)
        self.url = self.address()
        self.document: dict[str, Any] = json.loads(
            resources.files("kotrel.serving").joinpath("openapi.json").read_text("utf-8")
        )

    def address(self) -> str:
        text = (self.folder / "kotrel.toml").read_text("utf-8")
        return text.split('url = "')[1].split('"')[0]

    def call(self, method: str, path: str, body: bytes | None = None, **headers: str) -> tuple[int, Any]:
        """Status and body; a JSON answer must be as the document says."""
        request = urllib.request.Request(
            self.url + path, body, {name.replace("_", "-"): value for name, value in headers.items()}, method=method
        )
        try:
            with urllib.request.urlopen(request) as answer:
                status, kind, raw = answer.status, answer.headers["Content-Type"] or "", answer.read()
        except urllib.error.HTTPError as error:
            status, kind, raw = error.code, error.headers["Content-Type"] or "", error.read()
        said = json.loads(raw) if "json" in kind else raw.decode()
        self.check(method.lower(), path.partition("?")[0], status, said)
        return status, said

    def check(self, method: str, path: str, status: int, said: Any) -> None:
        def fits(pattern: str) -> bool:
            mine, theirs = path.split("/"), pattern.split("/")
            return len(mine) == len(theirs) and all(
                b.startswith("{") or a == b for a, b in zip(mine, theirs, strict=True)
            )

        patterns = sorted((each for each in self.document["paths"] if fits(each)), key=lambda each: each.count("{"))
        if not patterns:
            return
        operation = self.document["paths"][patterns[0]].get(method)
        self.assertIsNotNone(operation, f"{method} {path}")
        answer = operation["responses"].get(str(status))
        self.assertIsNotNone(answer, f"{method} {path}: {status} is not in the document")
        if "$ref" in answer:
            answer = self.document["components"]["responses"]["Problem"]
        for kind, content in answer.get("content", {}).items():
            if "json" in kind:
                jsonschema.validate(said, {**content["schema"], "components": self.document["components"]})

    def finished(self, job: str) -> dict[str, Any]:
        for _ in range(1200):
            _, about = self.call("GET", f"/v1/jobs/{job}")
            if about["status"] in ("finished", "failed"):
                return dict(about)
            time.sleep(0.05)
        raise AssertionError("the job does not end")

    def test_the_document_is_one(self) -> None:
        validate(self.document)
        self.assertEqual(self.call("GET", "/v1/openapi.json")[1], self.document)

    def test_small_programs(self) -> None:
        self.assertEqual(self.call("GET", "/v1")[1]["limits"]["body_bytes"], 200_000)
        status, page = self.call("GET", "/v1/records/item?category=ROPE-BRAID&unit=M&fields=code,cost&size=2")
        self.assertEqual((status, [row["code"] for row in page["rows"]]), (200, ["ROP-00010", "ROP-00020"]))
        _, following = self.call(
            "GET",
            f"/v1/records/item?category=ROPE-BRAID&unit=M&fields=code&size=1&after={page['next'].replace(' ', '%20')}",
        )
        self.assertEqual(following["rows"], [{"code": "ROP-00030"}])
        rows = [{"#action": "new", "code": "CURL-1", "description": "By hand", "unit": "EA", "category": "ROPE"},
                {"#action": "changed", "code": "ROP-00010", "cost": "0.99"}]  # fmt: skip
        parts = [{"record": "item", "fields": ["code", "description", "unit", "category", "cost"], "rows": rows}]
        body = json.dumps({"who": "curl", "parts": parts}).encode()
        status, job = self.call("POST", "/v1/jobs", body, Idempotency_Key="one")
        self.assertEqual(status, 201)
        self.assertEqual(self.call("POST", "/v1/jobs", body, Idempotency_Key="one")[0], 200)
        result = self.finished(job["job"])["result"]
        self.assertEqual((result["outcome"], result["load"]), ("loaded", 1))
        _, page = self.call("GET", "/v1/records/item?code=ROP-00010&fields=description,cost")
        self.assertEqual(page["rows"][0], {"description": "Braided rope 3 mm white", "cost": "0.9900"})
        # The same checks as at the client, row by row.
        parts = [
            {
                "record": "item",
                "fields": ["code", "unit"],
                "rows": [{"#action": "new", "code": "CURL-2", "unit": "NOPE"}],
            }
        ]
        _, job = self.call("POST", "/v1/jobs", json.dumps({"parts": parts}).encode(), Idempotency_Key="two")
        result = self.finished(job["job"])["result"]
        self.assertEqual(result["outcome"], "refused")
        self.assertIn("unit", {each["field"] for each in result["refusals"]})
        self.assertEqual([each["kind"] for each in self.call("GET", "/v1/loads")[1]["loads"]], ["load", "refused"])

    def test_values_are_taken_at_their_word(self) -> None:
        fields = ["code", "description", "unit", "category", "cost", "archived"]
        good = {"#action": "new", "code": "W-1", "description": "Thing", "unit": "EA", "category": "ROPE"}
        for more, field in (({"cost": "1,5"}, "cost"), ({"cost": "1e2"}, "cost"), ({"cost": "1 000"}, "cost"), ({"cost": "0.12345"}, "cost"),
                            ({"archived": "maybe"}, "archived"), ({"archived": "TRUE"}, "archived"), ({"code": " W-1"}, "code")):  # fmt: skip
            body = {"parts": [{"record": "item", "fields": fields, "rows": [{**good, **more}]}]}
            _, job = self.call("POST", "/v1/jobs", json.dumps(body).encode(), Idempotency_Key=json.dumps(more))
            result = self.finished(job["job"])["result"]
            self.assertEqual(
                (result["outcome"], {each["field"] for each in result["refusals"]}), ("refused", {field}), more
            )
        self.assertEqual(self.call("GET", "/v1/records/item?code=W-1")[1]["rows"], [])

    def test_pieces_arrive_in_any_order_and_more_than_once(self) -> None:
        header = {"parts": [{"record": "item", "fields": ["code", "description", "unit", "category"]}]}
        _, job = self.call("POST", "/v1/jobs", json.dumps(header).encode(), Idempotency_Key="three")
        place = f"/v1/jobs/{job['job']}"

        def piece(number: int, *codes: str) -> int:
            text = "\n".join(
                ["#action,code,description,unit,category", *(f"new,{code},Thing,EA,ROPE" for code in codes), ""]
            )
            return self.call(
                "PUT", f"{place}/pieces/{number}?part=0", gzip.compress(text.encode()), Content_Encoding="gzip"
            )[0]

        self.assertEqual(piece(1, "P-3"), 204)
        status, problem = self.call("POST", f"{place}/start", b'{"pieces": 2}')
        self.assertEqual((status, problem["title"]), (409, "piece 0 of 2 is missing"))
        self.assertEqual([piece(0, "P-1"), piece(0, "P-1", "P-2")], [204, 204])
        self.assertEqual(self.call("POST", f"{place}/start", b'{"pieces": 2}')[0], 202)
        self.assertEqual(self.call("POST", f"{place}/start", b'{"pieces": 2}')[0], 202)
        self.assertEqual(self.finished(job["job"])["result"]["load"], 1)
        self.assertEqual(len(self.call("GET", "/v1/loads")[1]["loads"]), 1)

    def test_what_is_wrong_is_said(self) -> None:
        cases: list[tuple[int, str, str, bytes | None, dict[str, str]]] = [
            (404, "GET", "/v1/records/nothing", None, {}), (404, "GET", "/v1/jobs/J000000000000", None, {}),
            (422, "POST", "/v1/jobs", b"{}", {}), (422, "POST", "/v1/jobs", b"not json", {"Idempotency_Key": "x"}),
            (413, "POST", "/v1/jobs", b"x" * 200_001, {"Idempotency_Key": "x"}),
            (413, "POST", "/v1/jobs", gzip.compress(b"x" * 9_000_000), {"Idempotency_Key": "x", "Content_Encoding": "gzip"}),
            (422, "POST", "/v1/records/item/read", b'{"fields": ["nothing"]}', {}), (404, "GET", "/v1/loads/99", None, {}),
        ]  # fmt: skip
        for expected, method, path, body, headers in cases:
            with self.subTest(path=path, expected=expected):
                status, said = self.call(method, path, body, **headers)
                self.assertEqual(status, expected, said)
                self.assertTrue(said["title"])
        for bad in ({"parts": [{"record": "nothing", "fields": [], "rows": [{"#action": "new", "code": "A"}]}]},
                    {"parts": [{"record": "item", "fields": ["code"], "rows": [{"code": "A"}]}]},
                    {"parts": [{"record": "item", "fields": ["code", "cost"], "rows": [{"#action": "eat", "code": "A"}]}]}):  # fmt: skip
            status, job = self.call("POST", "/v1/jobs", json.dumps(bad).encode(), Idempotency_Key=json.dumps(bad))
            # What can be known before its rows are looked at is refused at once.
            early = bad["parts"][0]["record"] == "nothing"
            self.assertEqual(status, 422 if early else 201, job)
            if not early:
                self.assertEqual(self.finished(job["job"])["status"], "failed")

    def job(self, key: str, rows: list[dict[str, Any]], fields: tuple[str, ...], **more: Any) -> dict[str, Any]:
        body = {"parts": [{"record": "item", "fields": fields, "rows": rows}], **more}
        status, job = self.call("POST", "/v1/jobs", json.dumps(body).encode(), Idempotency_Key=key)
        self.assertEqual(status, 201, job)
        return self.finished(job["job"])

    def test_a_row_is_taken_for_what_it_says_or_refused(self) -> None:
        held = "ROP-00010"
        for row, says in (
            ({"#action": "new", "code": held, "cost": "9.99"}, "it is there already, and its action is new"),
            (
                {"#action": "changed", "code": "NOT-1", "description": "x", "unit": "EA", "category": "ROPE"},
                "it is not there",
            ),
            ({"#action": "removed", "code": held, "cost": "1"}, "a load removes nothing"),
            (
                {"#action": "changed", "code": held, "cost": "9.99", "before:cost": "0.01"},
                "by now, and was “0.01” when this was sent",
            ),
        ):
            fields = tuple(name for name in row if name[0] != "#" and ":" not in name)
            result = self.job(str(row), [row], fields)["result"]
            self.assertEqual(result["outcome"], "refused", row)
            self.assertIn(says, result["refusals"][0]["message"])
        _, page = self.call("GET", f"/v1/records/item?code={held}&fields=cost")
        cost = page["rows"][0]["cost"]
        same = {"#action": "changed", "code": held, "cost": "9.99", "before:cost": cost.rstrip("0")}
        self.assertEqual(self.job("fresh", [same], ("code", "cost"))["result"]["outcome"], "loaded")

    def test_nothing_is_lost_on_its_way(self) -> None:
        lines = ["#action,code,description,unit,category", *(f"new,Z-{n:03d},Thing,EA,ROPE" for n in range(20)), ""]
        text = "\n".join(lines).encode()
        header = {"parts": [{"record": "item", "fields": ["code", "description", "unit", "category"], "count": 20}]}
        _, job = self.call("POST", "/v1/jobs", json.dumps(header).encode(), Idempotency_Key="whole")
        place = f"/v1/jobs/{job['job']}"
        packed = gzip.compress(text)
        digest = base64.b64encode(hashlib.sha256(text + b"x").digest()).decode()
        for body, headers, says in (
            (packed[:-20], {"Content_Encoding": "gzip"}, "cut short"), (packed + b"more", {"Content_Encoding": "gzip"}, "not packed"),
            (text, {"Content_Digest": f"sha-256=:{digest}:"}, "changed on its way"),
        ):  # fmt: skip
            status, said = self.call("PUT", f"{place}/pieces/0?part=0", body, **headers)
            self.assertEqual(status, 422, said)
            self.assertIn(says, said["title"])
        status, said = self.call("PUT", f"{place}/pieces/0?part=3", text)
        self.assertEqual((status, said["title"]), (422, "the job has no part 3"))
        self.assertEqual(self.call("POST", f"{place}/start", b"{}")[1]["title"], "“pieces” is missing")
        self.assertEqual(self.call("POST", f"{place}/start", b'{"pieces": 0}')[0], 409)
        self.assertEqual(self.call("POST", f"{place}/start", b'{"pieces": 748624231}')[0], 409)
        # Two members of one body are one text; the same piece again, of another part, takes its place.
        two = gzip.compress(text[:200]) + gzip.compress(text[200:])
        self.assertEqual(self.call("PUT", f"{place}/pieces/0?part=0", two, Content_Encoding="gzip")[0], 204)
        said = self.call("POST", f"{place}/start", b'{"pieces": 0}')[1]
        self.assertEqual(said["title"], "1 pieces came, and 0 were announced")
        self.call("POST", f"{place}/start", b'{"pieces": 1}')
        self.assertEqual(self.finished(job["job"])["result"]["outcome"], "loaded")
        self.assertEqual(len(self.json("outcome", "L0001")["rows"]), 20)
        # A list is no text, and a number may have lost its last digits.
        for value in (["a", "b"], {"a": 1}, 12345.67):
            body = {
                "parts": [
                    {
                        "record": "item",
                        "fields": ["code", "cost"],
                        "rows": [{"#action": "changed", "code": "Z-001", "cost": value}],
                    }
                ]
            }
            self.assertEqual(
                self.call("POST", "/v1/jobs", json.dumps(body).encode(), Idempotency_Key=str(value))[0], 422
            )

    def test_no_request_ends_the_service(self) -> None:
        wrong = b'{"parts": [{"record": "item", "fields": ["code"]}], "pictures": {"a.png": {"bytes": 1e999, "is_picture": true}}}'
        self.assertEqual(self.call("POST", "/v1/jobs", wrong, Idempotency_Key="endless")[0], 422)
        large = {"parts": [], "pictures": {"a.png": {"bytes": 10**400, "is_picture": True}}}
        headings = {"parts": [{"record": "item", "fields": ["code"], "headings": ["x"] * 20_000}]}
        for key, body in (("large", large), ("wide", headings)):
            self.assertEqual(self.call("POST", "/v1/jobs", json.dumps(body).encode(), Idempotency_Key=key)[0], 422)
        done = self.job("after", [{"#action": "changed", "code": "ROP-00010", "cost": "2.22"}], ("code", "cost"))
        self.assertEqual(done["result"]["outcome"], "loaded")

    def test_a_page_of_another_site_gets_nothing(self) -> None:
        for headers in ({"Host": "evil.example"}, {"Origin": "http://evil.example"}, {"Sec_Fetch_Site": "cross-site"}):
            self.assertEqual(self.call("GET", "/v1", **headers)[0], 403, headers)

    def test_members_of_wrong_kinds_are_named(self) -> None:
        odd = (5, -1, 1.5, 10**30, True, [[]], [{}], [None], {"a": 1}, "x" * 300, "\0")
        sound: tuple[tuple[str, dict[str, Any]], ...] = (
            ("records/item/read", {"fields": ["code"], "among": {"field": "code", "values": ["ROP-00010"]}, "filled": ["cost"], "size": 5}),
            ("sums", {"by": ["item"], "among": [{"field": "item", "values": ["ROP-00010"]}], "counts_as": "on hand", "since": None}),
            ("movements", {"moment": "2026-01-01 00:00:00", "among": []}), ("loads/of", {"record": "item", "keys": ["ROP-00010"]}),
            ("pictures/facts", {"names": ["a.png"]}), ("jobs", {"kind": "load", "parts": [{"record": "item", "fields": ["code"]}]}),
        )  # fmt: skip
        for path, body in sound:
            status, _ = self.call("POST", f"/v1/{path}", json.dumps(body).encode(), Idempotency_Key=path)
            self.assertIn(status, (200, 201), path)
            bodies = [*odd, *({**body, name: each} for name in body for each in odd)]
            for place, each in enumerate(bodies):
                with self.subTest(path=path, body=str(each)[:80]):
                    status, said = self.call(
                        "POST", f"/v1/{path}", json.dumps(each).encode(), Idempotency_Key=f"{path}{place}"
                    )
                    self.assertIn(status, (200, 201, 422))
                    if status == 422:
                        self.assertTrue(said["title"])

    def test_many_pages_are_one_answer(self) -> None:
        first = self.call("POST", "/v1/records/item/read", b'{"fields": ["code"], "size": 500}')
        self.assertEqual(first[1].count("\n"), 501)

    def test_a_load_in_small_pieces_a_trial_and_one_that_is_not_waited_for(self) -> None:
        self.write("a.csv", HEADINGS, *(f"BIG-{n:05d},{'Thing ' * 6}{n},EA,ROPE,2.50" for n in range(4000)))
        self.assertEqual(self.json("load", "a.csv", "--trial")["status"], "tried")
        self.assertEqual(self.json("history")["loads"], [])
        sent = self.json("load", "a.csv", "--yes", "--no-wait")
        self.assertEqual((sent["status"], sent["load"]), ("sent", None))
        found = self.json("outcome", sent["reference"], "--wait")
        self.assertEqual((found["load"], len(found["rows"])), ("L0001", 4000))
        self.write("b.csv", HEADINGS, "BIG-90000,Fine,EA,ROPE,2", "BIG-90001,Not,NOPE,ROPE,2")
        refused = self.json("load", "b.csv", "--yes", status=1)
        self.assertEqual(
            [each["cell"] for each in refused["findings"] if each["severity"] == "error"],
            ["line 3, column 3"],
        )


class Restart(Program):
    """A service that is stopped in the middle of a job."""

    def test_jobs_survive_and_are_done_once(self) -> None:
        behind = self.start_on_service()

        workspace = open_workspace(behind)
        header = {"parts": [{"record": "item", "fields": ["code", "description", "unit", "category"]}]}
        text = b"#action,code,description,unit,category\nnew,R-1,Thing,EA,ROPE\n"
        jobs = Jobs(self.folder / "jobs", lambda *all: carry_out(workspace, *all))
        about, _ = jobs.open("key", header)
        jobs.add_piece(about["job"], 0, 0, text)
        jobs.begin(about["job"], 1)
        # It did the load and was killed before it could note that: the worker never ran here.
        done = carry_out(workspace, about["job"], header, [(0, text)], lambda step: None)
        self.assertEqual(done["result"]["load"], 1)
        again = Jobs(self.folder / "jobs", lambda *all: carry_out(workspace, *all))
        again.start()
        for _ in range(1200):
            if (now := again.of(about["job"])) and now["status"] == "finished":
                break
            time.sleep(0.05)
        again.stop()
        self.assertEqual((now or {})["result"], {"outcome": "loaded", "load": 1})
        self.assertEqual(len(self.json("history")["loads"]), 1)

    def test_what_a_power_cut_leaves_is_put_aside(self) -> None:
        jobs = Jobs(self.folder / "jobs", lambda *all: {})
        good, bad = (jobs.open(key, {"parts": []})[0]["job"] for key in ("good", "bad"))
        (self.folder / "jobs" / bad / "job.json").write_bytes(b"")
        again = Jobs(self.folder / "jobs", lambda *all: {})
        self.assertEqual([each["job"] for each in again.all()], [good])
        self.assertTrue((self.folder / "jobs" / bad / "job.json.broken").exists())


class Elsewhere(unittest.TestCase):
    """A service that would send us to another host."""

    def test_no_token_goes_there(self) -> None:
        seen: list[str | None] = []

        class There(http.server.BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                seen.append(self.headers.get("Authorization"))
                self.send_response(200)
                self.end_headers()

            def log_message(self, *words: Any) -> None:
                pass

        with http.server.ThreadingHTTPServer(("127.0.0.1", 0), There) as there:
            threading.Thread(target=there.serve_forever, daemon=True).start()
            elsewhere = f"http://127.0.0.1:{there.server_address[1]}/v1/pages/x/1"

            class Here(There):
                def do_GET(self) -> None:
                    self.send_response(302)
                    self.send_header("Location", elsewhere)
                    self.end_headers()

            with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Here) as here:
                threading.Thread(target=here.serve_forever, daemon=True).start()
                with patch.dict("os.environ", KOTREL_TOKEN="secret"):
                    client = Client(f"http://127.0.0.1:{here.server_address[1]}", "the service", patience=1)
                for path in (elsewhere, "//127.0.0.1:9/v1/x", "/\\\\127.0.0.1/v1", "/v1/../x@evil"):
                    with self.assertRaisesRegex(OutOfReach, "at another address"):
                        client.following(path)
                with self.assertRaisesRegex(OutOfReach, "answers 302"):
                    client.send("GET", "/v1")
                client.close()
                here.shutdown()
            there.shutdown()
        self.assertEqual(seen, [])


class NoService(Program):
    def test_what_cannot_be_reached_or_trusted(self) -> None:
        self.assertIn("does not answer", self.kotrel("init", "x", "--system", "http://127.0.0.1:9", status=3).stderr)
        said = self.kotrel(
            "init", "x", "--system", "http://stock.example.com", status=2, KOTREL_TOKEN="secret-token"
        ).stderr
        self.assertIn("https://", said)
        self.assertNotIn("secret-token", said)


if __name__ == "__main__":
    unittest.main()
