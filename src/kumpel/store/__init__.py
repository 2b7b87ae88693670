"""Tables, sample blocks, migrations: what is kept."""
