"""Values as text and back: YAML 1.2 (its core schema), without anchors, aliases and tags, so that a text says all that it means."""

from __future__ import annotations

import re
from typing import Any

import yaml

from enlace.core.problem import Problem

LONGEST = 5_000_000  # characters of a file
DEEPEST = 100  # lists and mappings within each other
WIDTH = 110
# The core schema of YAML 1.2 (section 10.3.2): yes, on and dates are plain texts there.
CORE = (
    ("bool", r"true|True|TRUE|false|False|FALSE", "tTfF"),
    ("int", r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+", "-+0123456789"),
    (
        "float",
        r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?|[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)",
        "-+.0123456789",
    ),
    ("null", r"~|null|Null|NULL|", "~nN\0"),
)


class _Loader(yaml.CSafeLoader):
    """Refuses names that come twice."""

    def construct_mapping(self, node: Any, deep: bool = False) -> Any:
        seen = set()
        for key, _ in node.value:
            name = self.construct_object(key, deep=True)
            if name in seen:
                raise yaml.MarkedYAMLError(None, None, f"{name} stands there twice", key.start_mark)
            seen.add(name)
        return super().construct_mapping(node, deep)


class _Dumper(yaml.CSafeDumper):
    """Never writes an alias; texts of several lines stand as they are."""

    def ignore_aliases(self, data: Any) -> bool:
        return True


for _class in (_Loader, _Dumper):
    # PyYAML's own are those of YAML 1.1, where the flag NO of a ship is false.
    _class.yaml_implicit_resolvers = {}
    for _name, _pattern, _first in CORE:
        _class.add_implicit_resolver(f"tag:yaml.org,2002:{_name}", re.compile(f"^(?:{_pattern})$"), [c if c != "\0" else "" for c in _first])  # fmt: skip


def _text(dumper: yaml.CSafeDumper, value: str) -> yaml.ScalarNode:
    # A space at the end of a line would be lost to editors that trim lines; quoted it stays.
    lined = "\n" in value and not any(line.endswith(" ") for line in value.split("\n"))
    return dumper.represent_scalar("tag:yaml.org,2002:str", value, style="|" if lined else None)


_Dumper.add_representer(str, _text)


def written(value: Any) -> str:
    """A value as text; equal values give equal texts."""
    return str(
        yaml.dump(value, Dumper=_Dumper, sort_keys=False, allow_unicode=True, width=WIDTH, default_flow_style=False)
    )


def _whole(value: Any, place: str) -> Any:
    """The value. Raises Problem, naming the place, for half of a character: nothing that keeps texts takes it."""
    if isinstance(value, str):
        try:
            value.encode()
        except UnicodeEncodeError:
            raise Problem(f"{place} has half of a character in it.", "Mend it there.", code="bad") from None
    for name, inner in (
        value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    ):
        _whole(name, place)
        _whole(inner, f"{place}[{name}]" if isinstance(name, int) else f"{place}, {name}")
    return value


def _look_at(text: str) -> None:
    """Refuses aliases, and what is nested deeper than anybody writes: the reader in C asks nobody how deep it goes."""
    depth = 0
    for event in yaml.parse(text, yaml.CSafeLoader):
        # An alias of an alias of an alias makes gigabytes of a few lines.
        if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None):
            raise yaml.MarkedYAMLError(None, None, "anchors and aliases are not read here", event.start_mark)
        depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
        if depth > DEEPEST:
            raise yaml.MarkedYAMLError(None, None, f"it is nested more than {DEEPEST} deep", event.start_mark)


def read(text: str, name: str) -> Any:
    """The value behind a text. Raises Problem, naming the file and the line."""
    if len(text) > LONGEST:
        raise Problem(f"{name} is too large.", f"At most {LONGEST:,} characters are read.", code="bad")
    try:
        _look_at(text)
        return _whole(yaml.load(text, _Loader), name)
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark
        place = f", line {mark.line + 1}, column {mark.column + 1}" if mark else ""
        raise Problem(f"{name}{place}: {error.problem}.", "Mend it there.", code="bad") from None
    except (yaml.YAMLError, ValueError, RecursionError) as error:
        raise Problem(f"{name} can't be read: {error}.", "Mend it there.", code="bad") from None
