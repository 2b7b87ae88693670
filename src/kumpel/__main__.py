from kumpel.cli import app

app(prog_name="kumpel")
