"""What differs between two states of a project, in words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

NAMED_BY = ("id", "name", "expression", "title", "field")
LONGEST = 60


def differences(before: dict[str, Any], after: dict[str, Any]) -> list[str]:
    """Sentences, file by file: what is new, gone, or another value. before, after: by path, what the files say."""
    told: list[str] = []
    for path in sorted({*before, *after}):
        name = path.removesuffix(".yaml")
        if path not in before:
            told.append(f"{name} is new.")
        elif path not in after:
            told.append(f"{name} is gone.")
        else:
            told += [f"{name}, {sentence}" for sentence in _differing(before[path], after[path], "")]
    return told


def _differing(before: Any, after: Any, where: str) -> Iterator[str]:
    if before == after:
        return
    if isinstance(before, dict) and isinstance(after, dict):
        for name in dict.fromkeys([*before, *after]):
            here = f"{where} {name}".strip()
            if name not in before:
                yield f"{here}: {_shown(after[name])} (nothing was said before)."
            elif name not in after:
                yield f"{here}: as it always is (was {_shown(before[name])})."
            else:
                yield from _differing(before[name], after[name], here)
    # Items with names are compared by them: one put in front would otherwise make all those behind it differ.
    elif isinstance(before, list) and isinstance(after, list) and (by := _named_by([*before, *after])):
        yield from _lists(before, after, where, by)
    else:
        yield f"{where}: {_shown(after)} (was {_shown(before)})."


def _lists(before: list[Any], after: list[Any], where: str, by: str) -> Iterator[str]:
    mine, theirs = ({item[by]: item for item in several} for several in (before, after))
    for name in dict.fromkeys([*mine, *theirs]):
        here = f"{where} {_shown(name)}"
        if name not in mine:
            yield f"{here} is new."
        elif name not in theirs:
            yield f"{here} is gone."
        else:
            yield from _differing(mine[name], theirs[name], here)
    # Those that both have tell whether they were moved; what is new or gone is told already.
    if [n for n in mine if n in theirs] != [n for n in theirs if n in mine]:
        yield f"{where}: in another order."


def _named_by(several: list[Any]) -> str:
    """The name that tells the items of a list apart, if there is one."""
    for name in NAMED_BY:
        if all(isinstance(item, dict) and isinstance(item.get(name), str) for item in several):
            return name
    return ""


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | dict):
        return f"{len(value)} thing{'s' * (len(value) != 1)}" if value else "nothing"
    # One line each: a query of forty lines would bury the sentences around it.
    text = " ".join(str(value).split())
    return f"“{text[:LONGEST]}{'…' * (len(text) > LONGEST)}”" if text else "nothing"
