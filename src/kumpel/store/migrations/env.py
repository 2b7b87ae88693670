"""Run by Alembic; the connection comes from `kumpel.store.database.migrate`."""

from alembic import context

from kumpel.store.tables import metadata

connection = context.config.attributes["connection"]
context.configure(connection=connection, target_metadata=metadata, compare_type=True)
with context.begin_transaction():
    context.run_migrations()
