"""A project as a Django application: Django itself is the judge of it, in a process that has nothing of Enlace."""

import json
import os
import random
import re
import sqlite3
import subprocess
import sys
import tempfile
from collections import Counter
from dataclasses import replace
from pathlib import Path

from django.core.management import call_command
from sqlalchemy import text

from demo.harbour.carry import carry
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.kinds import KINDS
from enlace.core.model.connection import ConnectionSpec
from enlace.core.model.dataset import RuleSpec
from enlace.core.rules import RecordRules
from enlace.core.server.dialects import server_kind
from enlace.core.server.engine import engine_for
from enlace.folder.as_django import application_of
from enlace.folder.as_django.rules_out import key_of, rules_of
from enlace.folder.disk import got
from enlace.folder.reading import brought_in, values_of
from enlace.workshop.models import Form
from tests.harbour import ENGLISH, harbour_copy, new_path
from tests.servers import OnServer, Place, on_each_server
from tests.web.pages import Pages

ROOT = Path(__file__).parents[2]
SETTINGS = """
SECRET_KEY, DEBUG, ALLOWED_HOSTS, USE_TZ, ROOT_URLCONF = "x", True, ["*"], False, "urls"
INSTALLED_APPS = ["django.contrib.admin", "django.contrib.auth", "django.contrib.contenttypes", "django.contrib.sessions",
                  "django.contrib.messages", "harbour"]
MIDDLEWARE = ["django.contrib.sessions.middleware.SessionMiddleware", "django.contrib.auth.middleware.AuthenticationMiddleware",
              "django.contrib.messages.middleware.MessageMiddleware"]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True, "OPTIONS": {"context_processors": [
    "django.template.context_processors.request", "django.contrib.auth.context_processors.auth",
    "django.contrib.messages.context_processors.messages"]}}]
DATABASES = {"default": DATABASE}
STATIC_URL = "static/"
"""
HEAD = """
import json, os, sys
sys.modules["enlace"] = None  # whatever would import it fails
os.environ["DJANGO_SETTINGS_MODULE"] = "settings"
import django
django.setup()
from django.contrib.admin.utils import quote
from django.contrib.auth.models import User
from django.core.management import call_command
from django.test import Client
from harbour import admin, forms, models
call_command("check", fail_level="WARNING")
call_command("migrate", verbosity=0)
told = {"tables": {}, "pages": {}}
for model in django.apps.apps.get_app_config("harbour").get_models():
    told["tables"][model._meta.db_table] = [model.objects.count(), len(str(model.objects.first()))]
"""
PAGES = """
User.objects.create_superuser("ana", password="x")
client = Client()
client.login(username="ana", password="x")
for model in admin.admin.site._registry:
    if model._meta.app_label == "harbour":
        at, first = f"/admin/harbour/{model._meta.model_name}/", model.objects.first()
        told["pages"][model._meta.db_table] = [client.get(path).status_code for path in
                                               (at, at + "?q=a", at + "add/", f"{at}{quote(first.pk)}/change/" if first else at)]
print(json.dumps(told))
"""
CALLS = """
call = models.PortCall.objects.select_related("vessel").first()
told["vessel"] = call.vessel.name
data = {"vessel": call.vessel_id, "berth": call.berth_id, "agent": call.agent_id, "pilot": call.pilot_id, "status": call.status,
        "eta": "2026-05-01 10:00:00", "etd": "2026-05-02 10:00:00", "draught_m": "5.5", "purpose": "crew change", "notes": ""}
form = forms.PortCallForm(data, instance=call)
told["sound"] = [form.is_valid(), form.errors.get_json_data()]
form.save()
told["saved"] = models.PortCall.objects.get(pk=call.pk).draught_m == form.cleaned_data["draught_m"]
broken = forms.PortCallForm({**data, "etd": "2026-04-01 10:00:00"}, instance=call)
told["broken"] = [broken.is_valid(), broken.errors.get_json_data()]
vessel = models.Vessel(name="Nova", imo_no="9000001", vessel_type=call.vessel.vessel_type, in_service=True)
vessel.save()  # what the database fills in, such as a version, is nobody's to give
told["filled"] = models.Vessel.objects.get(pk=vessel.pk).version
vessel.delete()
"""
# Names that Python or Django keep to themselves, a table that refers to itself, keys of several columns.
ODD = """
CREATE TABLE vessel (code VARCHAR(4) PRIMARY KEY, name VARCHAR(20) NOT NULL UNIQUE);
CREATE TABLE "order" (id INTEGER PRIMARY KEY, "class" VARCHAR(9), "two words" VARCHAR(9) DEFAULT 'it''s', "Ünï" INTEGER CHECK ("Ünï" > 0),
  "per%cent" INTEGER CHECK ("per%cent" <> 7), parent INTEGER REFERENCES "order" (id), "a__b_" DATE, pk INTEGER, "1st" DECIMAL(5, 1), save INTEGER,
  vessel_id INTEGER, vessel_code VARCHAR(4) REFERENCES vessel (code), total INTEGER GENERATED ALWAYS AS (pk * 2));
CREATE TABLE "Mixed-Case table" ("Id" INTEGER PRIMARY KEY, blob_ BLOB, flag BOOLEAN NOT NULL DEFAULT 1, made TIMESTAMP DEFAULT CURRENT_TIMESTAMP, t TIME);
CREATE TABLE pair (a INTEGER, b VARCHAR(3), n INTEGER, PRIMARY KEY (a, b));
CREATE TABLE of_pair (id INTEGER PRIMARY KEY, a INTEGER, b VARCHAR(3), FOREIGN KEY (a, b) REFERENCES pair (a, b));
CREATE TABLE share ("100%" INTEGER PRIMARY KEY, n INTEGER);
CREATE TABLE "100% of" (id INTEGER PRIMARY KEY);
CREATE TABLE said (id INTEGER PRIMARY KEY, "so ""said"" it" VARCHAR(9), of INTEGER REFERENCES share ("100%"));
INSERT INTO said VALUES (1, 'x', NULL);
INSERT INTO vessel VALUES ('a/b', 'x');
INSERT INTO "order" (id, "class", parent, vessel_code) VALUES (1, 'c', 1, 'a/b');
INSERT INTO pair VALUES (1, 'x', 2);
INSERT INTO of_pair VALUES (1, 1, 'x');
INSERT INTO "Mixed-Case table" ("Id") VALUES (3);
"""


class AsDjango(Pages):
    def run_it(self, project, database: dict, run: str) -> dict:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            call_command("project", "as-django", project.name, place / "harbour", stdout=open(os.devnull, "w"))  # noqa: SIM115
            (place / "settings.py").write_text(SETTINGS.replace("DATABASE}", f"{database!r}}}"))
            (place / "urls.py").write_text(
                "from django.contrib import admin\nfrom django.urls import path\n\nurlpatterns = [path('admin/', admin.site.urls)]\n"
            )
            (place / "run.py").write_text(HEAD + run)
            done = subprocess.run([sys.executable, "run.py"], cwd=place, capture_output=True, text=True, check=False)
            self.assertEqual(done.returncode, 0, done.stderr[-3000:])
            checked = subprocess.run(
                [sys.executable, "-m", "ruff", "check", "--isolated", "--select", "E9,F", "harbour"],
                cwd=place, capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual(checked.returncode, 0, checked.stdout)
            return json.loads(done.stdout.splitlines()[-1])

    def harbour(self):
        """The demo's project, over the copy of the harbour."""
        outcome = brought_in(values_of(got(ROOT / "demo/harbour/project")), "Harbour", self.connection)
        return outcome.project

    def test_the_harbour_runs_without_enlace(self):
        project = self.harbour()
        told = self.run_it(
            project, {"ENGINE": "django.db.backends.sqlite3", "NAME": dict(self.spec.parameters)["path"]}, CALLS + PAGES
        )
        for table, (count, shown) in told["tables"].items():
            self.assertEqual(count, self.sql(f'SELECT count(*) FROM "{table}"')[0][0], table)
            self.assertGreater(shown, 0)
        self.assertGreaterEqual(set(told["tables"]), {"port_call", "cargo_line", "vessel", "agent", "commodity"})
        self.assertEqual(told["vessel"], self.sql("SELECT name FROM vessel WHERE id = (SELECT vessel_id FROM port_call ORDER BY id LIMIT 1)")[0][0])  # fmt: skip
        self.assertEqual(told["sound"], [True, {}])
        self.assertTrue(told["saved"])
        self.assertIsNotNone(told["filled"])
        self.assertIn("ETD", str(told["broken"][1]))
        self.assertFalse(told["broken"][0])
        self.assertEqual({path for several in told["pages"].values() for path in several}, {200})
        self.assertIn("port_call", told["pages"])

    def test_the_harbour_on_postgresql(self):
        place = Place("postgresql")
        self.addCleanup(place.close)
        carry(harbour_copy(), "postgresql", place.engine.raw_connection().driver_connection)
        self.connection.delete()
        self.connection = self.connect(place.spec)
        reached = dict(place.spec.parameters)
        database = {"ENGINE": "django.db.backends.postgresql", "NAME": reached["database"], "USER": reached["user"]}
        database |= {"PASSWORD": place.spec.secret, "HOST": reached["host"], "PORT": reached["port"]}
        told = self.run_it(self.harbour(), database, CALLS + PAGES)
        self.assertEqual(told["tables"]["port_call"][0], place.run("SELECT count(*) FROM port_call")[0][0])
        self.assertEqual((told["sound"], told["saved"], told["broken"][0]), ([True, {}], True, False))
        self.assertEqual({path for several in told["pages"].values() for path in several}, {200})

    def test_a_schema_of_other_names(self):
        path = str(new_path())
        with sqlite3.connect(path) as database:
            database.executescript(ODD)
        self.connection.delete()
        odd = self.connect(ConnectionSpec.of("sqlite", path=path))
        for table in ("order", "vessel", "Mixed-Case table", "pair", "of_pair", "said", "100% of"):
            self.form(table, odd)
        told = self.run_it(self.project, {"ENGINE": "django.db.backends.sqlite3", "NAME": path}, PAGES)
        self.assertEqual({count for count, _ in told["tables"].values()}, {1})
        self.assertEqual({path for several in told["pages"].values() for path in several}, {200})
        self.assertEqual(told["pages"].keys(), {"order", "vessel", "Mixed-Case table", "of_pair", "said"})
        made = application_of(self.project, "harbour")
        for sentence in ("100% of: Django has no table called so.", 'said: Django has no column called so "said" it.'):
            self.assertIn(sentence, made.told)

    def test_what_has_no_counterpart_is_told(self):
        project = self.harbour()
        dataset = Form.objects.get(project=project, title="Port call").dataset
        dataset.rules.create(expression="vessel.gross_tonnage > 0", message="Too light.")
        dataset.touch()
        made = application_of(project, "harbour")
        self.assertTrue(any("vessel.gross_tonnage" in sentence for sentence in made.told), made.told)
        self.assertTrue(any("key of several columns" in sentence for sentence in made.told))


class Conditions(OnServer):
    """The conditions of an application against the rules as Enlace keeps them, on rows that the server holds."""

    RULES = (
        "pieces BETWEEN 1 AND 5000", "weight > 0 AND weight < 900", "day >= '2020-01-01'", "code LIKE 'S-%'", "NOT urgent OR weight < 100",
        "length(code) < 6", "COALESCE(remark, '') <> 'x'", "moored > '2026-01-01 10:00'", "weight * pieces < 1000", "remark IS NULL OR day IS NOT NULL",
    )  # fmt: skip

    def prepare(self) -> None:
        self.place.run(
            "CREATE TABLE crate (id INTEGER PRIMARY KEY, code VARCHAR(12), weight DECIMAL(9, 3), day DATE, pieces INTEGER,"
            f" urgent BOOLEAN, moored {'DATETIME' if self.kind != 'postgresql' else 'TIMESTAMP'}, remark VARCHAR(60))"
        )

    def test_the_same_rules_are_broken(self):
        dataset = replace(make_dataset(self.spec, "crate"), rules=tuple(map(RuleSpec, self.RULES)))
        rules, lacking = rules_of(dataset, self.spec.kind)
        self.assertEqual(lacking, [])
        dice, own = random.Random(4), RecordRules(dataset)
        held, names = server_kind(self.spec.kind), [field.name for field in dataset.fields]
        told, met = Counter(), 0
        with engine_for(self.spec).connect() as connection:
            for number in range(120):
                typed = {
                    "id": str(number), "code": dice.choice(("S-1", "s-12", "X%9", "S-longer", "")), "weight": dice.choice(("0", "12.5", "99.999", "901", "")),
                    "day": dice.choice(("2019-12-31", "2020-01-01", "2026-05-06", "")), "pieces": dice.choice(("0", "1", "5000", "5001", "")),
                    "urgent": dice.choice(("yes", "no", "")), "moored": dice.choice(("2026-01-01 09:59", "2026-01-01 10:01", "")), "remark": dice.choice(("x", "é", "")),
                }  # fmt: skip
                record = {
                    name: KINDS[dataset.by_name[name].kind].parse(typed[name], dataset.by_name[name], ENGLISH)
                    for name in names
                }
                expected = {c.sentence for c in own.complaints(record, frozenset(names), True) if c.code == "check"}
                for rule in rules:
                    values = {key_of(dataset, name): held.bound(record[name]) for name in rule.columns}
                    # As SQLAlchemy names what is bound; Django and the drivers do it by `%(name)s`.
                    asked = re.sub(r"%\((\w+)\)s", r":\1", rule.condition.replace(":", r"\:")).replace("%%", "%")
                    broken = connection.execute(
                        text(f"SELECT CASE WHEN NOT ({asked}) THEN 1 ELSE 0 END"), values
                    ).scalar()
                    self.assertEqual(broken == 1, rule.sentence in expected, (rule, record))
                    told[rule.sentence] += broken
                    met += 1
        self.assertEqual(len([n for n in told.values() if n]), len(rules), told)  # each was broken by some


on_each_server(globals(), Conditions)
del Conditions
