"""The API's description: what the front end's types are made from."""

import asyncio
import threading

import httpx

from moss_crown.server.app import create_app
from moss_crown.server.description import PLACE, named


def schema_of(bound):
    return {"title": f"KeyFloat{bound:04x}", "properties": {"value": {"type": "number", "maximum": bound}}}


def described(first, second):
    """A block with two values with keys, whose schemas are called after their bounds."""
    names = [f"Key_Annotated_float_Le_{bound}" for bound in (first, second)]
    block = {"properties": {k: {"$ref": PLACE + name} for k, name in zip("ab", names, strict=True)}}
    keys = dict(zip(names, (schema_of(first), schema_of(second)), strict=True))
    asked = {"schema": {"$ref": PLACE + "Block"}}
    return named({"paths": {"/": asked}, "components": {"schemas": dict(sorted(keys.items())) | {"Block": block}}})


def test_names_of_values_with_keys_stay_when_a_bound_changes():
    for bounds in ((100, 7), (5, 7), (7, 100)):
        found = described(*bounds)["components"]["schemas"]
        assert set(found) == {"Block", "KeyFloat1", "KeyFloat2"}
        assert found["Block"]["properties"]["a"] == {"$ref": PLACE + "KeyFloat1"}
        assert [found[f"KeyFloat{k}"]["properties"]["value"]["maximum"] for k in (1, 2)] == list(bounds)
        assert found["KeyFloat1"]["title"] == "KeyFloat1"


def test_all_names_are_short_and_there():
    whole = create_app().openapi()
    names = whole["components"]["schemas"]
    assert max(map(len, names)) <= 24
    asked = set()

    def look(node):
        if isinstance(node, dict):
            asked.update([node["$ref"].removeprefix(PLACE)] if isinstance(node.get("$ref"), str) else [])
            for value in node.values():
                look(value)
        elif isinstance(node, list):
            for value in node:
                look(value)

    look(whole)
    assert asked <= set(names)
    assert {"DraftHead", "SeenHead", "SurfaceDrawn", "Shot"} <= set(names)


def test_nobody_waits_while_it_is_made():
    """It takes seconds where a machine is slow."""
    app = create_app()
    made = threading.Event()
    app.openapi = lambda: {"made": made.wait(60)}

    async def ask():
        transport = httpx.ASGITransport(app)
        async with httpx.AsyncClient(transport=transport, base_url="http://127.0.0.1") as client:
            description = asyncio.create_task(client.get("/api/openapi.json"))
            await asyncio.sleep(0.1)
            assert (await client.get("/api/health")).status_code == 200
            made.set()
            assert (await description).json() == {"made": True}

    asyncio.run(ask())
