"""Hostile requests to all addresses, seeded: odd ids, odd numbers, odd texts, in places that are meant for something else."""

from __future__ import annotations

import base64
import json
import random
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field

TEXTS = (
    "", " ", "0", "-1", "1", "1e9999999", "9" * 5_000, "NaN", "Infinity", "-0.0", "1/0", "null", "true", "\x00", "a\x00b",
    "\ud800", "\uffff", "\U0010ffff", "\ud7ff", "é" * 300, "'", '"', "''; DROP TABLE vessel; --", "<script>alert(1)</script>",
    "<img src=x onerror=alert(1)>", "{{7*7}}", "${7*7}", "%s%s%n", "../../etc/passwd", "/proc/self/fd/6", "\r\nX: y",
    "a" * 20_000, "[" * 3_000, "{" * 3_000, "(" * 2_000, "2026-13-45", "2026-02-29", "0000-00-00", "9999-12-31", "25:61",
    "==", "=", "<>", ">", ">=9999999999999999999999", "..", "1..", "..1", "a..b", "empty", "no value", "==\x00",
    "yes", "on", "id", "name", "-name", "nothing", "round(1, 1e99999999)", "floor(1e90000)", "CAST('1e9999999' AS INTEGER)",
    "CAST('1' AS DECIMAL(a,b))", "a.b.c.d", "SELECT", "SELECT 1; SELECT 2", "SELECT * FROM vessel WHERE id = :x", "(((", "sum(",
    "WITH RECURSIVE c(x) AS (SELECT 1) SELECT * FROM c", "PRAGMA writable_schema = 1", "https://example.org/", "//example.org",
    "1e", "a IN", "vessel.name", "sum(cargo_line.tonnes)", "master.id", '[{"field": "vessel.flag", "test": "is", "values": ["\\ud800"]}]',
    '[{"field": "sum(cargo_line.tonnes)", "test": "between", "values": ["1e9", "x"]}, {"field": "vessel.x", "test": "empty"}]',
    '[{"any": [{"field": "count(cargo_line.port_call_id)", "test": "in", "values": ["1", "=="]}, {"sql": "a IN"}], "off": true}]',
)  # fmt: skip
KEYS = (
    [1], ["x"], [None], [], [[1]], [{"$": "uuid", "v": 5}], [{"$": "decimal", "v": "sNaN"}], [{"$": "decimal", "v": "1e9999999"}],
    [{"$": "date", "v": "x"}], [{"$": "bytes", "v": "?"}], [{"$": "span", "v": [1, 2]}], [{"$": "nothing", "v": 1}], [2**70], [1, 2],
    ["\ud800"], [True], [1.5], {"a": 1}, 7, None, ["a/b"], [{"$": "float", "v": "zz"}], ["x" * 9_000],
)  # fmt: skip
ACTS = ("make", "use", "leave", "keep", "take-apart", "kind", "up", "down", "bulk", "repair", "add", "calculate", "work", "live",
        "refresh", "throw-away", "undo", "redo", "remove", "reset", "try", "show", "move", "resize", "lay", "fill", "align", "duplicate",
        "tie", "cross", "set", "page", "opening", "detail", "link", "join", "without", "column", "paste", "bundle", "dock", "tab")  # fmt: skip


@dataclass(frozen=True)
class Hostile:
    """One request. data: what a POST sends, None for a GET."""

    path: str
    query: dict[str, str] = field(default_factory=dict)
    data: dict[str, str] | None = None
    part: bool = True  # asked as a part of a page


def odd_id(dice: random.Random) -> str:
    """A record id, or something like one."""
    kind = dice.random()
    if kind < 0.3:
        return f"i{dice.choice((0, 1, 5, -1, 2**63, 10**30))}"
    if kind < 0.7:
        text = json.dumps(dice.choice(KEYS))
        made = base64.urlsafe_b64encode(text.encode("utf-8", "surrogatepass")).decode()
        return "k" + (made if dice.random() < 0.3 else made.rstrip("="))
    if kind < 0.8:
        return f"p{dice.choice((0, 3, 10**18, 10**40))}"
    return dice.choice(("n" + "0" * 16, "kW1sxXV0", "i1/../2", "i1?x", "k!", *TEXTS))


def path_of(dice: random.Random, pattern: str, numbers: Mapping[str, int | str]) -> str:
    """An address of a pattern, mostly of things that are there."""

    def filled(match: re.Match[str]) -> str:
        kind, name = match[1], match[2].removesuffix("_id")
        if kind == "str":
            from urllib.parse import quote

            return quote(odd_id(dice)[:2_000].replace("/", "%2F").encode("utf-8", "replace").decode() or "i1", safe="")
        return str(numbers.get(name, 1)) if dice.random() < 0.9 else str(dice.choice((0, 7, 10**9, 10**25)))

    return re.sub(r"<(\w+):(\w+)>", filled, pattern)


def hostile(
    dice: random.Random, patterns: Sequence[str], numbers: Mapping[str, int | str], fields: Sequence[str], times: int
) -> Iterator[Hostile]:
    """Requests to addresses of patterns, as `urls.py` writes them. numbers: what there is, a detail by its name, by the names in patterns."""
    names = ["record", "field", "value", "seen", "seen_text", "choice", "position", "number", "start", "size", "order", "typed",
             "revision", "by", "token", "only", "detail", "sql", "act", "name", "kind", "part", "property", "expression", "formula", "text", "of", "opens", "only-", "label",
             "p-path", "p-host", "p-port", "table", "reference", "columns", "step", "run", "page", "form", "person", "next",
             "username", "password", "password_from", "variable", "paste", "to", "wanted", "all", "total", "given-x", "member",
             "message", "marks", "severity", "runs", "sorted_by", "compare", "version", "title", "statements", "guard", "column",
             "count", "whole", "most_failures", "on", "places", "layout", "ids", "x", "y", "w", "h", "dx", "dy", "dw", "dh", "into", "source",
             "control", "how", "sentence", "section", "place", "about", *(f"only-{field}" for field in fields)]  # fmt: skip
    for _ in range(times):
        path = path_of(dice, dice.choice(patterns), numbers)
        given = {}
        for name in dice.sample(names, dice.randrange(1, 7)) + (
            ["record", "field", "value"] if dice.random() < 0.5 else []
        ):
            given[name] = _value(dice, name, fields)
        whole = {k: v.encode("utf-8", "surrogatepass").decode("utf-8", "replace") for k, v in given.items()}
        raw = given if dice.random() < 0.3 else whole
        short = {k: v[:1_500] for k, v in raw.items()}
        if dice.random() < 0.5:
            yield Hostile(path, short, None, dice.random() < 0.7)
        else:
            yield Hostile(path, {k: short[k] for k in list(short)[:2]}, raw, dice.random() < 0.7)


def _value(dice: random.Random, name: str, fields: Sequence[str]) -> str:
    chance = dice.random()
    if name == "record" and chance < 0.8:
        return odd_id(dice)
    if name in ("field", "by", "order", "column") and chance < 0.7:
        return dice.choice(("", "-")) * (name == "order") + dice.choice(fields)
    if name == "act" and chance < 0.8:
        return dice.choice(ACTS)
    if name == "on" and chance < 0.9:
        return "sheet"
    if name == "layout" and chance < 0.9:
        return str(dice.randrange(3))
    if name in ("ids", "control", "into") and chance < 0.8:
        return " ".join(
            dice.choices(("vessel_grid", "vessel_panel", "vessel_navigator", "heading", "page", "name"), k=2)
        )
    if name == "places" and chance < 0.8:
        view = dice.choice(("order=-id", "order=gone", "only-id=x", *TEXTS[:20]))
        return json.dumps({str(n): {"record": odd_id(dice)[:200], "master": "i1", "view": view} for n in range(3)})
    if name == "choice" and chance < 0.7:
        return json.dumps(dice.choice(KEYS))
    return dice.choice(TEXTS)
