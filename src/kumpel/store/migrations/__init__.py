"""Alembic migrations, from the first table on."""
