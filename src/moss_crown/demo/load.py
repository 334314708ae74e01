"""Loads the demo production once: into an empty database, under the migration's lock."""

from __future__ import annotations

import psycopg

from moss_crown.server.db.migrate import LOCK


def load_demo(database: str) -> bool:
    """True when it was loaded now. A database that has, or ever had, a production is left alone."""
    with psycopg.connect(database) as connection, connection.transaction():
        connection.execute("select pg_advisory_xact_lock(%s)", [LOCK])
        if connection.execute("select 1 from production limit 1").fetchone():
            return False
        # Only a first start needs these: they load the whole computation, which takes a second.
        from moss_crown.core.assets import assets_of
        from moss_crown.core.document.door import write_shot
        from moss_crown.demo.bent import bent_shots
        from moss_crown.demo.broken import broken_shots
        from moss_crown.demo.cards import cards, film_unit_emblem
        from moss_crown.demo.looks import looks
        from moss_crown.demo.motions import motions
        from moss_crown.demo.shots import PRODUCTION, demo_shots
        from moss_crown.demo.swollen import swollen_shots
        from moss_crown.server.db.assets import add_asset
        from moss_crown.server.db.shots import add_production, add_shot
        from moss_crown.server.schemas import ShotDefaults

        production = add_production(connection, PRODUCTION, ShotDefaults().model_dump(mode="json"))
        emblem = film_unit_emblem()
        add_asset(connection, production, emblem)
        moving = [*motions(), *bent_shots(emblem.id), *broken_shots(emblem.id), *swollen_shots()]
        for shot in [*demo_shots(), *cards(), *looks(), *moving]:
            add_shot(connection, production, write_shot(shot), assets_of(shot))
        return True
