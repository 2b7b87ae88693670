"""The own cluster: made, started, found running, stopped, started again on its data; never in another one's way."""

import os
import shutil
import socket
import tempfile
import unittest
from pathlib import Path

import psycopg
from psycopg import sql
from sqlmodel import Session as Db

from kumpel.services.ground.accounts import create_account
from kumpel.store.cluster import Cluster, ClusterError, free_port, programs
from kumpel.store.database import engine, migrate


class OwnCluster(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="kumpel-cluster-"))
        self.folder.chmod(0o755)
        self.cluster = Cluster(self.folder / "postgres", durable=False)
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.addCleanup(self.cluster.stop)

    def test_data_survives_stopping_and_starting(self) -> None:
        with psycopg.connect(self.cluster.start()) as connection:
            connection.execute("create table kept (x int)")
            connection.execute("insert into kept values (7)")
        again = Cluster(self.folder / "postgres", durable=False)
        self.assertEqual(again.start(), self.cluster.url)  # running already: the same
        self.cluster.stop()
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(self.cluster.url)
        with psycopg.connect(again.start()) as connection:
            self.assertEqual(connection.execute("select x from kept").fetchone(), (7,))

    def test_a_port_that_is_taken_meanwhile_is_given_up(self) -> None:
        self.cluster.start()
        self.cluster.stop()
        taken = int((self.folder / "postgres" / "port").read_text())
        with socket.socket() as other:
            other.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            other.bind(("127.0.0.1", taken))
            other.listen()
            url = self.cluster.start()
            self.assertNotIn(f":{taken}/", url)
            with psycopg.connect(url) as connection:
                self.assertEqual(connection.execute("select 1").fetchone(), (1,))

    def test_it_listens_on_loopback_only_and_asks_for_a_password(self) -> None:
        url = self.cluster.start()
        with psycopg.connect(url) as connection:
            self.assertEqual(connection.execute("show listen_addresses").fetchone(), ("127.0.0.1",))
        with psycopg.connect(self.cluster.keeper_url) as connection:
            self.assertEqual(connection.execute("show unix_socket_directories").fetchone(), ("",))
        with self.assertRaises(psycopg.OperationalError):
            psycopg.connect(url.replace(url.split(":")[2].split("@")[0], "wrong"))
        self.assertEqual((self.folder / "postgres" / "password").stat().st_mode & 0o077, 0)

    def test_the_role_is_no_superuser(self) -> None:
        with psycopg.connect(self.cluster.start()) as connection:
            self.assertEqual(connection.execute("show is_superuser").fetchone(), ("off",))
            with self.assertRaises(psycopg.errors.InsufficientPrivilege):
                connection.execute("create role x")
        with psycopg.connect(self.cluster.url) as connection, self.assertRaises(psycopg.errors.InsufficientPrivilege):
            connection.execute("copy (select 1) to program 'true'")

    def test_an_older_cluster_is_turned_over_with_everything_in_it(self) -> None:
        """As it was: the role is the first one and a superuser; the whole schema is its own."""
        url = self.cluster.start()
        with psycopg.connect(self.cluster.keeper_url, autocommit=True) as connection:
            connection.execute("drop database kumpel")
            connection.execute("drop role kumpel")
            connection.execute("create role other superuser login password 'x'")
        place = self.folder / "postgres"
        other = (
            self.cluster.keeper_url.split("://")[0] + "://other:x@" + url.split("@")[1].replace("/kumpel", "/postgres")
        )
        password = (place / "password").read_text()
        with psycopg.connect(other, autocommit=True) as connection:
            connection.execute("alter role kumpel_keeper rename to kumpel")
            connection.execute(sql.SQL("alter role kumpel password {}").format(password))
            connection.execute("create database kumpel owner kumpel")
        (place / "keeper-password").unlink()
        migrate(url)
        with Db(engine(url)) as db:
            create_account(db, "officer", "Runa Halvorsen", "long enough")
        engine(url).dispose()
        again = Cluster(self.folder / "postgres", durable=False)
        self.assertEqual(again.start(), url)
        with psycopg.connect(url) as connection:
            self.assertEqual(connection.execute("show is_superuser").fetchone(), ("off",))
            self.assertEqual(connection.execute("select login from account").fetchone(), ("officer",))
            foreign = connection.execute(
                "select relname from pg_class c join pg_namespace n on n.oid = c.relnamespace "
                "where nspname = 'public' and pg_get_userbyid(relowner) <> 'kumpel'"
            ).fetchall()
            self.assertEqual(foreign, [])
            # It may still change its own tables, as the next migration does.
            connection.execute("alter table account add column later int")
            connection.execute("select nextval('person_number')")
        self.assertEqual(again.start(), url)

    def test_a_folder_that_the_server_user_cannot_enter(self) -> None:
        if os.geteuid() != 0:
            return  # an ordinary user runs the cluster itself
        private = self.folder / "private"
        private.mkdir(mode=0o700)
        cluster = Cluster(private / "var" / "postgres", durable=False)
        (private / "var").mkdir()
        self.addCleanup(shutil.rmtree, cluster.data.parent, ignore_errors=True)
        self.addCleanup(cluster.stop)
        with psycopg.connect(cluster.start()) as connection:
            self.assertEqual(connection.execute("select 1").fetchone(), (1,))

    def test_programs_and_ports_are_found(self) -> None:
        self.assertTrue((programs() / "initdb").exists())
        self.assertGreater(free_port(), 1023)

    def test_errors_say_what_to_do(self) -> None:
        self.assertTrue(issubclass(ClusterError, RuntimeError))
        broken = Cluster(self.folder / "broken", durable=False)
        broken.start()
        broken.stop()
        with (broken.data / "postgresql.conf").open("a") as conf:
            conf.write("\nno_such_setting = 1\n")
        with self.assertRaisesRegex(ClusterError, "its log is"):
            broken.start()
