"""Hostile requests find nothing that breaks: no error of Enlace's own, whoever asks whatever."""

import random
from urllib.parse import urlencode

from django.test import Client, override_settings

from enlace.site.urls import urlpatterns
from scripts.fuzz import hostile
from tests.web.pages import Pages
from tests.web.test_access import addresses

TIMES = 1_000  # for each of three


class Fuzz(Pages):
    def setUp(self):
        super().setUp()
        self.client.raise_request_exception = False
        self.ports = self.form("port_call")
        self.lines = self.form("cargo_line")
        self.link = self.ports.details.create(
            dataset=self.lines.dataset, columns=["port_call_id"], master_columns=["id"], title="Cargo"
        )
        self.act = self.ports.actions.create(
            title="Touch", statements="UPDATE port_call SET notes = notes WHERE id = :id"
        )

    def tried(self, client: Client, seed: int) -> list:
        numbers = {
            "project": self.project.pk, "connection": self.connection.pk, "dataset": self.ports.dataset_id, "form": self.ports.pk,
            "field": self.ports.dataset.fields.first().pk, "detail": self.link.name, "action": self.act.pk, "entry": 1, "rule": 1,
        }  # fmt: skip
        fields = [field.name for field in self.ports.dataset.fields.all()]
        # What takes itself away is left out: there would be nothing left to try.
        patterns = [
            address for address in addresses() if not address.endswith(("remove", "sign-out/", "end", "query/run"))
        ]
        wrong = []
        for item in hostile(random.Random(seed), patterns, numbers, fields, TIMES):
            path = f"{item.path}?{urlencode(item.query, errors='surrogatepass')}"
            headers = {"HX-Request": "true"} if item.part else {}
            answer = (
                client.get(path, headers=headers)
                if item.data is None
                else self.posted(client, path, item.data, headers)
            )
            if answer.status_code >= 500 and answer.status_code != 503:
                wrong.append((answer.status_code, item))
        return wrong

    def posted(self, client, path, data, headers):
        body = urlencode(data, errors="surrogatepass")
        return client.post(path, body, content_type="application/x-www-form-urlencoded", headers=headers)

    def test_nobody_an_operator_and_a_builder(self):
        guest, operator = Client(raise_request_exception=False), Client(raise_request_exception=False)
        operator.force_login(self.operator)
        for name, client, seed in (("nobody", guest, 1), ("operator", operator, 2), ("builder", self.client, 3)):
            with self.subTest(who=name):
                wrong = self.tried(client, seed)
                self.assertEqual(wrong[:5], [], len(wrong))


assert urlpatterns and override_settings  # the addresses are the site's
