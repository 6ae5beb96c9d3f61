"""What differs between two JSON documents, as a patch (RFC 6902) of `add`, `remove` and `replace`.

Written for bodies of elements: long lists of keys of which one changes. Parts that are equal are passed over by one
comparison; in lists, what is the same at both ends is kept, so that a key put in between moves nothing.
"""

from __future__ import annotations

from typing import Any

Operation = dict[str, Any]
Patch = list[Operation]


def diff(old: Any, new: Any, path: str = "") -> Patch:
    """The patch that makes `new` of `old`."""
    if old == new and type(old) is type(new):
        return []
    if isinstance(old, dict) and isinstance(new, dict):
        return _of_maps(old, new, path)
    if isinstance(old, list) and isinstance(new, list):
        return _of_lists(old, new, path)
    return [{"op": "replace", "path": path, "value": new}]


def _of_maps(old: dict[str, Any], new: dict[str, Any], path: str) -> Patch:
    out: Patch = [{"op": "remove", "path": f"{path}/{_escaped(k)}"} for k in old if k not in new]
    for key, value in new.items():
        where = f"{path}/{_escaped(key)}"
        if key in old:
            out += diff(old[key], value, where)
        else:
            out.append({"op": "add", "path": where, "value": value})
    return out


def _of_lists(old: list[Any], new: list[Any], path: str) -> Patch:
    shorter = min(len(old), len(new))
    start = 0
    while start < shorter and old[start] == new[start]:
        start += 1
    end = 0
    while end < shorter - start and old[-1 - end] == new[-1 - end]:
        end += 1
    gone, come = old[start : len(old) - end], new[start : len(new) - end]
    if len(gone) == len(come) and not _is_plain(come):
        return [op for i, (a, b) in enumerate(zip(gone, come, strict=True)) for op in diff(a, b, f"{path}/{start + i}")]
    if len(gone) == len(old) and come:  # nothing is kept
        return [{"op": "replace", "path": path, "value": new}]
    out: Patch = [{"op": "remove", "path": f"{path}/{start}"} for _ in gone]
    return out + [{"op": "add", "path": f"{path}/{start + i}", "value": value} for i, value in enumerate(come)]


def _is_plain(values: list[Any]) -> bool:
    """Whether a list holds numbers or words, as a point does: then it is replaced as a whole."""
    return not any(isinstance(v, dict | list) for v in values)


def _escaped(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")


def patched(document: Any, patch: Patch) -> Any:
    """A document after a patch, which is the very one for it; lists and maps that it goes through are copied."""
    for operation in patch:
        document = _applied(document, _parts(operation["path"]), operation)
    return document


def _parts(path: str) -> list[str]:
    return [p.replace("~1", "/").replace("~0", "~") for p in path.split("/")[1:]]


def _applied(node: Any, parts: list[str], operation: Operation) -> Any:
    if not parts:
        return operation["value"]
    part, rest = parts[0], parts[1:]
    copy: Any = dict(node) if isinstance(node, dict) else list(node)
    key: Any = part if isinstance(copy, dict) else int(part)
    if rest:
        copy[key] = _applied(copy[key], rest, operation)
    elif operation["op"] == "remove":
        del copy[key]
    elif operation["op"] == "add" and isinstance(copy, list):
        copy.insert(key, operation["value"])
    else:
        copy[key] = operation["value"]
    return copy
