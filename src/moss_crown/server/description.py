"""The API's description, from which the front end's types are made."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

PLACE = "#/components/schemas/"
GENERIC = re.compile(r"(Key|Keyed)([A-Z][a-z]*)[0-9a-f]{4}")


def described(app: FastAPI) -> dict[str, Any]:
    """The API's description, in which errors are what they are: application/problem+json; with what drafts say, which
    travel as binary messages; and short names for values with keys."""
    if app.openapi_schema is None:
        from moss_crown.core.draft import schema  # with all that drafts are made from: a server seldom needs it

        whole = get_openapi(title=app.title, version=app.version, routes=app.routes)
        for path in whole["paths"].values():
            for operation in path.values():
                content = operation["responses"].get("default", {}).get("content", {})
                if "application/json" in content:
                    content["application/problem+json"] = content.pop("application/json")
        whole["components"]["schemas"] |= schema.described(PLACE + "{model}")
        app.openapi_schema = named(whole)
    return app.openapi_schema


def named(whole: dict[str, Any]) -> dict[str, Any]:
    """With schemas of values with keys named by their kind and in the order in which they are first asked for: that
    stays the same when a bound changes."""
    schemas = whole["components"]["schemas"]
    kinds: Counter[str] = Counter()
    short: dict[str, str] = {}
    for name in dict.fromkeys(_references(whole, schemas, set())):
        if told := GENERIC.fullmatch(schemas[name].get("title", "")):
            kind = "".join(told.groups())
            kinds[kind] += 1
            short[name] = f"{kind}{kinds[kind]}"
    text = json.dumps(whole)
    for name, other in short.items():
        text = text.replace(json.dumps(PLACE + name), json.dumps(PLACE + other))
    found: dict[str, Any] = json.loads(text)
    found["components"]["schemas"] = {
        short.get(name, name): one | ({"title": short[name]} if name in short else {})
        for name, one in found["components"]["schemas"].items()
    }
    return found


def _references(node: Any, schemas: dict[str, Any], seen: set[str]) -> Iterator[str]:
    """Names of schemas in the order in which they are first referred to, each followed by those that it refers to."""
    if isinstance(node, dict):
        asked = node.get("$ref", "").removeprefix(PLACE) if isinstance(node.get("$ref"), str) else ""
        if asked in schemas and asked not in seen:
            seen.add(asked)
            yield asked
            yield from _references(schemas[asked], schemas, seen)
        for key, value in node.items():
            if key != "schemas":  # those are met where they are asked for
                yield from _references(value, schemas, seen)
    elif isinstance(node, list):
        for value in node:
            yield from _references(value, schemas, seen)
