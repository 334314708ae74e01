"""Migrations, the demo, stored undo: against a real PostgreSQL."""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from uuid import uuid4

import psycopg
import pytest
from psycopg.types.json import Jsonb

from moss_crown.core.assets import Asset
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import write_shot
from moss_crown.core.errors import DocumentInvalid
from moss_crown.demo.load import load_demo
from moss_crown.server import editing
from moss_crown.server.db import assets, shots, storage, takes
from moss_crown.server.db.cluster import ensure_database
from moss_crown.server.db.migrate import migrate, numbered
from moss_crown.server.errors import NothingTo, ProductionMissing, RevisionStale, ShotMissing


@pytest.fixture
def connection(cluster, database):
    with psycopg.connect(cluster.url(database)) as c:
        yield c
        c.rollback()


@pytest.fixture
def shot(connection):
    production = shots.add_production(connection, "Lowmere", {})
    return shots.add_shot(connection, production, write_shot(new_shot()), {})


def edit_shot(connection, shot, revision, patch, label):
    """An edit as it is made: worked out first, then stored against the revision that it was made of."""
    made = editing.edited(shots.load_shot(connection, shot).document, patch)
    return shots.store_edit(connection, shot, revision, made, patch, label)


def step_history(connection, shot, forward):
    row, patch = shots.load_step(connection, shot, forward)
    return shots.store_step(connection, row, editing.stepped(row.document, patch), forward)


def size(value):
    return [{"op": "replace", "path": "/steps/0/size", "value": value}]


def test_migrations_run_once_even_when_several_start_together(cluster):
    ensure_database(cluster, "together")
    with ThreadPoolExecutor(4) as pool:
        ran = list(pool.map(lambda _: migrate(cluster.url("together")), range(4)))
    assert sorted(ran) == [[], [], [], [n for n, _ in numbered()]]
    assert migrate(cluster.url("together")) == []


def test_the_demo_is_loaded_once_and_not_again_after_deleting(cluster):
    ensure_database(cluster, "demo")
    migrate(cluster.url("demo"))
    assert load_demo(cluster.url("demo"))
    assert not load_demo(cluster.url("demo"))
    with psycopg.connect(cluster.url("demo")) as c:
        (production,) = shots.list_productions(c)
        assert production.name == "Lowmere: Six Crossings"
        assert production.shots >= 2
        for row in shots.list_shots(c, production.id):
            shots.set_deleted(c, row.id, True)
    assert not load_demo(cluster.url("demo"))


def test_undo_and_redo_walk_the_whole_history(connection, shot):
    first = shots.load_shot(connection, shot)
    row = first
    for value in (1.5, 2.0, 2.5):
        row = edit_shot(connection, shot, row.revision, size(value), f"size {value}")
    assert (row.undo, row.redo, row.revision) == ("size 2.5", "", 4)
    for _ in range(3):
        row = step_history(connection, shot, forward=False)
    assert row.document == first.document
    assert (row.undo, row.redo, row.revision) == ("", "size 1.5", 7)
    with pytest.raises(NothingTo):
        step_history(connection, shot, forward=False)
    row = step_history(connection, shot, forward=True)
    assert row.document["steps"][0]["size"] == 1.5


def test_an_edit_after_undo_ends_what_could_be_redone(connection, shot):
    row = edit_shot(connection, shot, 1, size(2.0), "a")
    row = step_history(connection, shot, forward=False)
    row = edit_shot(connection, shot, row.revision, size(3.0), "b")
    assert (row.undo, row.redo) == ("b", "")
    with pytest.raises(NothingTo):
        step_history(connection, shot, forward=True)


def test_a_stale_edit_is_refused_and_changes_nothing(connection, shot):
    edit_shot(connection, shot, 1, size(2.0), "a")
    with pytest.raises(RevisionStale) as refused:
        edit_shot(connection, shot, 1, size(9.0), "b")
    assert (refused.value.given, refused.value.current) == (1, 2)
    assert shots.load_shot(connection, shot).document["steps"][0]["size"] == 2.0


def test_undo_against_another_state_is_refused(connection, shot):
    edit_shot(connection, shot, 1, size(2.0), "a")
    row, patch = shots.load_step(connection, shot, False)
    edit_shot(connection, shot, 2, size(3.0), "b")
    with pytest.raises(RevisionStale):
        shots.store_step(connection, row, editing.stepped(row.document, patch), False)
    assert shots.load_shot(connection, shot).undo == "b"


def test_history_that_holds_more_than_it_should_is_still_walked(connection, shot):
    """Operations with unknown members were stored once."""
    edit_shot(connection, shot, 1, size(2.0), "a")
    connection.execute(
        """update history set inverse = jsonb_set(inverse, '{0}', inverse->0 || '{"remark": "of old"}')
           where shot_id = %s""",
        [shot],
    )
    assert step_history(connection, shot, forward=False).document["steps"][0]["size"] == 1.0


def test_a_bad_edit_leaves_no_trace(connection, shot):
    with pytest.raises(DocumentInvalid):
        edit_shot(connection, shot, 1, size(-1), "bad")
    row = shots.load_shot(connection, shot)
    assert (row.revision, row.undo) == (1, "")


def test_a_deleted_shot_is_gone_and_comes_back_whole(connection, shot):
    edit_shot(connection, shot, 1, size(2.0), "a")
    shots.set_deleted(connection, shot, True)
    with pytest.raises(ShotMissing):
        shots.load_shot(connection, shot)
    with pytest.raises(ShotMissing):
        shots.set_deleted(connection, shot, True)
    shots.set_deleted(connection, shot, False)
    assert shots.load_shot(connection, shot).undo == "a"


def test_edits_from_two_windows_never_both_win(cluster, database, connection, shot):
    connection.commit()

    def edit(value):
        with psycopg.connect(cluster.url(database)) as c:
            try:
                edit_shot(c, shot, 1, size(value), "x")
                return True
            except RevisionStale:
                return False

    with ThreadPoolExecutor(6) as pool:
        won = list(pool.map(edit, [1.0 + k for k in range(1, 7)]))
    assert sum(won) == 1
    assert shots.load_shot(connection, shot).revision == 2


def test_a_shot_that_someone_works_at_gets_its_poster_later(connection, shot):
    def lacking(open_shots=()):
        found = shots.next_without_poster(connection, 0, list(open_shots), 60)
        return found and found.id

    connection.execute("update shot set deleted_at = now() where id <> %s", [shot])
    assert lacking() == shot
    assert lacking([shot]) is None
    connection.execute("update shot set updated_at = now() - interval '61 seconds' where id = %s", [shot])
    assert lacking([shot]) == shot


def test_an_old_poster_never_replaces_a_newer_one(connection, shot):
    shots.store_poster(connection, shot, 3, b"new", [0.5], 11)
    shots.store_poster(connection, shot, 2, b"old", [0.1], 11)
    assert shots.load_poster(connection, shot) == (3, b"new")


# Storage


def storage_of(connection, production):
    return {one.kind: one for one in storage.stored(connection, production)}


@pytest.fixture
def full(connection):
    """A production with something of each kind, a part of which may go; answers it and its shots."""
    production = shots.add_production(connection, "Lowmere", {})
    document = write_shot(new_shot())
    kept, gone = (shots.add_shot(connection, production, document, {}) for _ in range(2))
    connection.execute("update shot set deleted_at = now() - interval '8 days', cursor = 5 where id = %s", [gone])
    connection.execute("update shot set cursor = 205 where id = %s", [kept])
    for shot in (kept, gone):
        for number in range(1, 206 if shot == kept else 6):
            connection.execute(
                "insert into history (shot_id, number, label, patch, inverse) values (%s, %s, 'x', '[]', '[]')",
                [shot, number],
            )
        for number, (state, hours) in enumerate(
            [("done", 99), ("stopped", 30), ("failed", 1), ("done", 50), ("done", 40), ("done", 30)], 1
        ):
            (take,) = connection.execute(
                """insert into take (id, shot_id, number, revision, document, orders, state, created_at)
                   values (gen_random_uuid(), %s, %s, 1, '{}', '{}', %s, now() - make_interval(hours => %s))
                   returning id""",
                [shot, number, state, hours],
            ).fetchone()
            connection.execute(
                "insert into take_frame (take_id, frame, picture, seconds, worker) values (%s, 0, %s, 1, 'x')",
                [take, b"p" * 1000],
            )
        for _ in range(6):
            connection.execute(
                "insert into proof (shot_id, revision, frame, samples, picture) values (%s, 1, 0, 16, %s)",
                [shot, b"p" * 500],
            )
    for id, removed in (("own-used", True), ("own-unused", True), ("own-chosen", False)):
        connection.execute(
            """insert into asset (production_id, id, kind, name, facts, data, removed_at)
               values (%s, %s, 'font', 'x', '{}', %s, case when %s then now() end)""",
            [production, id, b"f" * 2000, removed],
        )
    named = [{"op": "replace", "path": "/steps/0/family", "value": "own-used"}]
    connection.execute("update history set patch = %s where shot_id = %s and number = 205", [Jsonb(named), kept])
    return production, kept, gone


def test_what_may_go_goes_by_its_rule_and_nothing_else(connection, full):
    production, kept, gone = full
    before = storage_of(connection, production)
    told = {kind: (one.count, one.spare) for kind, one in before.items()}
    # Of each shot's takes: one stopped long ago, and the oldest of four that are done.
    assert told == {"takes": (12, 4), "proofs": (12, 4), "history": (210, 5), "shots": (2, 1), "assets": (3, 1)}
    assert (before["takes"].bytes, before["takes"].spare_bytes) == (12_000, 4_000)
    assert (before["assets"].bytes, before["assets"].spare_bytes) == (6_000, 2_000)
    storage.make_room(connection, production, ["proofs", "takes"])
    after = storage_of(connection, production)
    assert {kind: (one.count, one.spare) for kind, one in after.items()} == {
        "takes": (8, 0), "proofs": (8, 0), "history": (210, 5), "shots": (2, 1), "assets": (3, 1)
    }  # fmt: skip
    assert [t.number for t in takes.list_takes(connection, kept)] == [6, 5, 4, 3]
    storage.make_room(connection, production, list(storage.KINDS))
    last = storage_of(connection, production)
    assert {kind: (one.count, one.spare) for kind, one in last.items()} == {
        "takes": (4, 0), "proofs": (4, 0), "history": (200, 0), "shots": (1, 0), "assets": (2, 0)
    }  # fmt: skip
    assert shots.load_shot(connection, kept).undo == "x"
    assert not connection.execute("select 1 from shot where id = %s", [gone]).fetchone()
    names = [row[0] for row in connection.execute("select id from asset where production_id = %s", [production])]
    assert sorted(names) == ["own-chosen", "own-used"]


def test_another_production_is_left_alone(connection, full):
    _, kept, _ = full
    other = shots.add_production(connection, "Salt Roads", {})
    storage.make_room(connection, other, list(storage.KINDS))
    assert len(takes.list_takes(connection, kept)) == 6
    with pytest.raises(ProductionMissing):
        storage.make_room(connection, kept, ["takes"])


def test_the_pace_is_told_by_the_shots_own_frames_first(connection, full):
    _, kept, gone = full
    connection.execute(
        """update take set orders = '{"width": 100, "height": 10, "samples": 4}' where shot_id = %s""", [kept]
    )
    connection.execute(
        """update take set orders = '{"width": 100, "height": 10, "samples": 8}' where shot_id = %s""", [gone]
    )
    connection.execute(
        "delete from take_frame where take_id not in (select id from take where shot_id in (%s, %s))", [kept, gone]
    )
    assert takes.pace(connection, kept) == 4000
    connection.execute("delete from take_frame where take_id in (select id from take where shot_id = %s)", [kept])
    assert takes.pace(connection, kept) == 8000
    connection.execute("delete from take_frame")
    assert takes.pace(connection, kept) is None


def test_a_shot_moves_with_what_it_and_its_undo_name(connection):
    """Of the fonts of its production those that the shot names, or an edit of it did, go along; others stay."""
    here, there = (shots.add_production(connection, name, {}) for name in ("Lowmere", "Salt roads"))
    for id in ("own-one", "own-two", "own-other"):
        assets.add_asset(connection, here, Asset(id, "font", id, {}, b"font"))
    shot = shots.add_shot(connection, here, write_shot(new_shot()), {})
    for revision, family in enumerate(("own-one", "own-two"), 1):
        made = editing.edited(shots.load_shot(connection, shot).document, size(1.0 + revision))
        patch = [{"op": "replace", "path": "/steps/0/family", "value": family}]
        first, *others = made.document["steps"]
        document = made.document | {"steps": [first | {"family": family}, *others]}
        named = replace(made, document=document, assets={family: "/steps/0/family"})
        shots.store_edit(connection, shot, revision, named, patch, "family")
    shots.move_shot(connection, shot, there)
    assert shots.load_shot(connection, shot).production_id == there
    assert assets.own_ids(connection, there) == {"own-one", "own-two"}
    assert assets.own_ids(connection, here) == {"own-one", "own-two", "own-other"}


def test_a_shot_that_is_not_there_does_not_move_nor_one_to_nowhere(connection, shot):
    nowhere = uuid4()
    with pytest.raises(ProductionMissing):
        shots.move_shot(connection, shot, nowhere)
    with pytest.raises(ShotMissing):
        shots.move_shot(connection, nowhere, shots.load_shot(connection, shot).production_id)


def test_shots_stand_as_they_were_made_until_they_are_put_into_an_order(connection):
    production = shots.add_production(connection, "Lowmere", {})
    made = [shots.add_shot(connection, production, write_shot(new_shot(text=text)), {}) for text in ("A", "B", "C")]
    order = lambda: [row.id for row in shots.list_shots(connection, production)]  # noqa: E731
    assert order() == made
    a, b, c = made
    shots.order_shots(connection, production, [c, a])
    assert order() == [c, a, b]
    newest = shots.add_shot(connection, production, write_shot(new_shot(text="D")), {})
    assert order() == [c, a, b, newest]
    with pytest.raises(ShotMissing):
        shots.order_shots(connection, production, [b, uuid4()])
    assert order() == [c, a, b, newest]
    with pytest.raises(ProductionMissing):
        shots.order_shots(connection, uuid4(), [])


def test_what_can_be_read_in_a_shot_is_told_with_it(connection):
    production = shots.add_production(connection, "Lowmere", {})
    document = write_shot(new_shot(text="TIDE"))
    keys = [{"frame": 0, "value": "SLACK WATER"}, {"frame": 20, "value": "KESTREL"}]
    document["steps"][0]["text"] = {"keys": keys}
    document["steps"].insert(1, {"id": "swap", "kind": "swap", "texts": "HOLLIN\nFERRY"})
    shots.add_shot(connection, production, document, {})
    (row,) = shots.list_shots(connection, production)
    assert row.texts == ["SLACK WATER", "KESTREL", "HOLLIN\nFERRY"]
