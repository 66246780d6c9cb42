"""How the database of older logs is brought to the layout of today: a step in ``versions/`` for each layout, run by Alembic.

The number of the layout stands in the database's own header (``PRAGMA user_version``), where every Nuvlo so far looks for it and which
changes with the transaction, as tables do. Alembic's own note of it is gone before the transaction ends: two would have to agree.
"""

from __future__ import annotations

import sqlalchemy as sa

NOTE = "layout_under_way"  # Alembic's table


def layout_of(connection: sa.Connection) -> int:
    """The number of a database's layout; 0 of one made before they were counted."""
    return int(connection.exec_driver_sql("PRAGMA user_version").scalar() or 0)


def bring_up(connection: sa.Connection, newest: int) -> None:
    """Run every step from a database's layout to the ``newest``, in the transaction that is open: all of them count, or none."""
    from alembic.config import Config  # loads for a second, and hardly any start needs it
    from alembic.runtime.environment import EnvironmentContext
    from alembic.script import ScriptDirectory

    config = Config()
    config.set_main_option("script_location", "nuvlo.logbook:layouts")
    steps, before = ScriptDirectory.from_config(config), layout_of(connection)
    with EnvironmentContext(config, steps, fn=lambda revision, _: steps._upgrade_revs(str(newest), revision)) as environment:
        environment.configure(connection=connection, version_table=NOTE)
        if before:
            environment.get_context().stamp(steps, str(before))
        environment.run_migrations()
    connection.exec_driver_sql(f"DROP TABLE {NOTE}")
    connection.exec_driver_sql(f"PRAGMA user_version = {newest}")
