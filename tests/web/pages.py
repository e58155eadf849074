"""What tests of views share: people, a project on a copy of the harbour, forms on tables."""

from __future__ import annotations

import json
import re
import tempfile
from html import unescape
from pathlib import Path

from django.test import Client, TestCase, override_settings

from enlace.accounts.models import Person
from enlace.core.dataset.inference.make import make_dataset
from enlace.core.model.connection import ConnectionSpec
from enlace.workshop import secrets
from enlace.workshop.models import Connection, Dataset, Form, Project, place_of
from tests.harbour import ask, forget, harbour_copy
from tests.servers import Place

PLAIN_FILES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}


class FlatClient(Client):
    """Pages without the line ends and indents of templates, which say nothing in HTML, so that tests name what they mean."""

    def request(self, **request):
        response = super().request(**request)
        if not response.streaming and response["Content-Type"].startswith("text/html"):
            text = re.sub(r"\s*\n\s*", "\n", response.content.decode())
            text = re.sub(r">\n|\n<(?!/?textarea|/?pre)", lambda match: match[0].strip(), text)
            response.content = _joined(text).encode()
        return response


def _joined(text: str) -> str:
    """Line ends inside tags and in texts as blanks, but for texts whose lines people see."""
    parts = re.split(r"(<(?:textarea|pre)\b.*?</(?:textarea|pre)>)", text, flags=re.DOTALL)
    return "".join(_tags_joined(part) if at % 2 else part.replace("\n", " ") for at, part in enumerate(parts))


def _tags_joined(text: str) -> str:
    return re.sub(r"<[a-zA-Z][^<>]*>", lambda match: match[0].replace("\n", " "), text)


@override_settings(STORAGES=PLAIN_FILES, PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
class Pages(TestCase):
    """A signed-in builder (self.client), an operator to sign in as, and a project."""

    client_class = FlatClient

    def setUp(self):
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(self.settings(HOME=home))
        self.builder = Person.objects.create_user("inês", password="quay-side-7", role="builder")
        self.operator = Person.objects.create_user("rui", password="quay-side-7", role="operator")
        self.client.force_login(self.builder)
        self.project = Project.objects.create(name="Porto")
        self.project.members.add(self.operator)
        self.spec = ConnectionSpec.of("sqlite", path=str(harbour_copy()))
        self.connection = self.connect(self.spec)
        self.addCleanup(forget)

    def connect(self, spec: ConnectionSpec) -> Connection:
        name = f"c{self.project.connections.count()}"
        made = Connection(
            project=self.project,
            name=name,
            kind=spec.kind,
            parameters=dict(spec.parameters),
            password_from="kept" if spec.secret else "nowhere",
        )
        made.password = secrets.seal(spec.secret, place_of(made))
        made.save()
        return made

    def at_server(self, kind: str, *statements: str) -> Place:
        """An empty database on a server of a kind, gone after the test. statements: that are run there first."""
        made = Place(kind)
        self.addCleanup(made.close)
        for statement in statements:
            made.run(statement)
        return made

    def form(self, table: str, connection: Connection | None = None) -> Form:
        connection = connection or self.connection
        return Form.make(Dataset.make(connection, make_dataset(connection.to_spec(), table), table), table)

    def without_list(self, form: Form, name: str) -> None:
        """Let people type into a field what its list lacks."""
        form.dataset.fields.filter(name=name).update(lookup=None)
        form.dataset.touch()

    def sql(self, statement: str, *values):
        return ask(self.spec, statement, *values)

    def post(self, form: Form, act: str, status: int = 200, **data):
        response = self.client.post(f"/desk/{form.pk}/{act}", data, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, status, response.content[:500])
        return response

    def edit(self, form: Form, record: str, status: int = 200, **texts: str):
        response = None
        for field, value in texts.items():
            response = self.post(form, "edit", status, record=record, field=field, value=value)
        return response

    def said(self, response) -> str:
        return json.loads(response["HX-Trigger"])["enlace:said"]["sentence"]

    def events(self, response) -> dict:
        """What an answer tells the page's scripts, in its header and in its body."""
        told = json.loads(response.get("HX-Trigger", "{}"))
        body = re.findall(r'data-event="([\w:]+)" data-detail="([^"]*)"', response.content.decode())
        return told | {name: json.loads(unescape(detail)) for name, detail in body}

    def total(self, form: Form) -> int:
        """How many records a form says there are."""
        return json.loads(self.client.get(f"/desk/{form.pk}/count")["HX-Trigger"])["enlace:total"]["total"]

    def new(self, form: Form, **texts: str) -> str:
        response = self.post(form, "new")
        identifier = json.loads(response["HX-Trigger"])["enlace:current"]["id"]
        self.edit(form, identifier, **texts)
        return identifier

    def prints(self, form: Form, record: str) -> dict[str, str]:
        """What the editors of a record say they show, by field."""
        html = self.client.get(f"/desk/{form.pk}/record", {"record": record}).content.decode()
        return dict(re.findall(r'data-field="([^"]*)" data-seen="([^"]*)"', html))
