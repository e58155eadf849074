"""Saves that are cut off: the saving process killed, and the database server killed. A few here, more in the bench.

What is checked is atomicity and durability as the servers themselves promise them (ISO/IEC 9075-2, 4.41,
"SQL-transactions"), seen through Enlace.
"""

import random

from enlace.core.model.connection import ConnectionSpec
from enlace.core.save.receipts import NAME, make_table
from enlace.core.server.engine import forget_engines
from scripts.crash import Crashes, several
from scripts.throwaway import KINDS
from tests.servers import OnServer, on_each_server


class SaverKilled(OnServer):
    def prepare(self):
        pass

    def crashes(self, receipts: bool) -> Crashes:
        spec = self.spec
        if receipts:
            make_table(spec)
            spec = ConnectionSpec(spec.kind, spec.parameters, spec.secret, NAME)
        address = self.place.engine.url.render_as_string(hide_password=False)
        run = Crashes(spec, address, random.Random(7))
        run.prepare()
        return run

    def test_with_and_without_receipts(self):
        for receipts in (False, True):
            counts, wrong = several(self.crashes(receipts), 4)
            self.assertEqual((wrong, counts.total()), ([], 4))
            self.place.run("DROP TABLE crash")


class ServerKilled:
    kind = ""

    def test_killed_and_started_again(self):
        server = KINDS[self.kind](safe=True)
        server.start()
        self.addCleanup(forget_engines)
        self.addCleanup(server.end)
        spec = ConnectionSpec.of(self.kind, server.password, **server.parameters)
        driver = {"postgresql": "postgresql+psycopg", "mariadb": "mysql+pymysql"}[self.kind]
        address = f"{driver}://{server.user}:{server.password}@127.0.0.1:{server.port}/{server.database}"
        crashes = Crashes(spec, address, random.Random(11), server.stop, server.start)
        crashes.prepare()
        counts, wrong = several(crashes, 3)
        self.assertEqual((wrong, counts.total()), ([], 3))


on_each_server(globals(), SaverKilled)
for _kind in KINDS:
    import unittest

    globals()[f"ServerKilled_{_kind}"] = type(
        f"ServerKilled_{_kind}", (ServerKilled, unittest.TestCase), {"kind": _kind, "__module__": __name__}
    )
