"""Makes faults: a comparison loosened, a condition dropped, a filter left out, a branch or a statement skipped."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass

COMPARISONS: dict[type[ast.cmpop], str] = {
    ast.Eq: ">=", ast.NotEq: "==", ast.Lt: "<=", ast.LtE: "<", ast.Gt: ">=", ast.GtE: ">",
    ast.Is: "is not", ast.IsNot: "is", ast.In: "not in", ast.NotIn: "in",
}  # fmt: skip
WORDS = {"left": "inner", "anti": "semi", "semi": "anti", "first": "last", "last": "first", "min": "max", "max": "min"}
METHODS = {"filter"}
"""Calls that can be left out: what they are called on has the same shape."""


@dataclass(frozen=True)
class Fault:
    """One fault: where it is, what it does, and the source with it."""

    file: str
    line: int
    what: str
    source: str

    @property
    def name(self) -> str:
        return f"{self.file}:{self.line} {self.what}"


def faults_of(file: str, source: str) -> Iterator[Fault]:
    """All faults that can be put into a file."""
    lines = source.splitlines(keepends=True)
    starts = [0]
    for text in lines:
        starts.append(starts[-1] + len(text.encode()))
    raw = source.encode()

    def at(node: ast.expr | ast.stmt) -> tuple[int, int]:
        assert node.end_lineno is not None and node.end_col_offset is not None
        return starts[node.lineno - 1] + node.col_offset, starts[node.end_lineno - 1] + node.end_col_offset

    def code(node: ast.expr | ast.stmt) -> str:
        first, last = at(node)
        return raw[first:last].decode()

    def put(node: ast.expr | ast.stmt, text: str, what: str) -> Fault:
        first, last = at(node)
        return Fault(file, node.lineno, what, (raw[:first] + text.encode() + raw[last:]).decode())

    tree = ast.parse(source)
    # What stands in a type's place means nothing when the program runs.
    types = {
        id(part)
        for node in ast.walk(tree)
        for field in ("annotation", "returns")
        if getattr(node, field, None)
        for part in ast.walk(getattr(node, field))
    }
    for node in ast.walk(tree):
        if id(node) in types:
            continue
        if isinstance(node, ast.Compare) and len(node.ops) == 1:
            old, sign = code(node), COMPARISONS.get(type(node.ops[0]))
            if sign and not _is_type_test(node):
                new = f"{code(node.left)} {sign} {code(node.comparators[0])}"
                yield put(node, f"({new})", f"{_short(old)}  →  {_short(new)}")
        elif isinstance(node, ast.BoolOp) or (
            isinstance(node, ast.BinOp) and isinstance(node.op, ast.BitAnd | ast.BitOr)
        ):
            parts = node.values if isinstance(node, ast.BoolOp) else [node.left, node.right]
            if any(isinstance(part, ast.Constant) and part.value is None for part in parts):
                # ``… | None`` is a type.
                continue
            for part in (parts[0], parts[-1]):
                yield put(node, f"({code(part)})", f"{_short(code(node))}  →  {_short(code(part))}")
        elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Invert | ast.Not):
            yield put(node, f"({code(node.operand)})", f"{_short(code(node))}  →  {_short(code(node.operand))}")
        elif isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute) and node.func.attr in METHODS:
            yield put(
                node,
                f"({code(node.func.value)})",
                f"without .{node.func.attr}{_short(code(node)[len(code(node.func)) :])}",
            )
        elif isinstance(node, ast.If):
            yield put(node.test, "False", f"if {_short(code(node.test))}: never")
        elif isinstance(node, ast.AugAssign) or (
            isinstance(node, ast.Expr) and isinstance(node.value, ast.Call) and not code(node).startswith("step(")
        ):
            yield put(node, "pass", f"without {_short(code(node))}")
        elif isinstance(node, ast.keyword) and isinstance(node.value, ast.Constant) and node.value.value in WORDS:
            new = WORDS[node.value.value]
            yield put(node.value, f'"{new}"', f"{node.arg}={code(node.value)}  →  {new}")


def _is_type_test(node: ast.Compare) -> bool:
    """Comparisons such as ``dialect == "postgresql"`` pick a way of doing things; loosened, they mean nothing."""
    return (
        isinstance(node.ops[0], ast.Eq)
        and isinstance(node.comparators[0], ast.Constant)
        and isinstance(node.comparators[0].value, str)
    )


def _short(text: str) -> str:
    line = " ".join(text.split())
    return line if len(line) <= 70 else f"{line[:67]}…"
