"""Who may do what, and what any address answers to anything."""

from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

from enlace.accounts.models import Person
from enlace.desk.models import JournalEntry
from tests.web.pages import Pages


def addresses(resolver=None, prefix="/"):
    for url_pattern in (resolver or get_resolver()).url_patterns:
        if isinstance(url_pattern, URLResolver):
            yield from addresses(url_pattern, prefix + str(url_pattern.pattern))
        elif isinstance(url_pattern, URLPattern):
            yield prefix + str(url_pattern.pattern)


class Access(Pages):
    def entry(self, form):
        """A save in the journal."""
        return JournalEntry.objects.first() or JournalEntry.objects.create(
            person=self.builder, form=form, form_title="x"
        )

    def detail(self, form):
        """Port calls that belong to a vessel."""
        link = {"columns": ["vessel_id"], "master_columns": ["id"], "title": "Calls"}
        first_detail = form.details.first()
        return first_detail or form.details.create(dataset=self.form("port_call").dataset, **link)

    def action(self, form):
        """A statement that the form offers as a button."""
        first_action = form.actions.first()
        return first_action or form.actions.create(
            title="Touch", statements="UPDATE vessel SET name = name WHERE id = :id"
        )

    def fill(self, address, form, number=None):
        values = {
            "project": self.project.pk,
            "connection": self.connection.pk,
            "dataset": form.dataset_id,
            "form": form.pk,
            "entry": self.entry(form).pk,
            "rule": form.dataset.rules.first().pk,
            "action": self.action(form).pk,
            "field": form.dataset.fields.first().pk,
            "state": (self.project.states.first() or self.project.states.create(words="x", files={})).pk,
            "number": 1,
        }
        address = address.replace("<slug:detail>", self.detail(form).name).replace("<str:master>", "i1")
        for name, pk in values.items():
            address = address.replace(f"<int:{name}_id>", str(number or pk)).replace(f"<int:{name}>", str(number or pk))
        return address

    def test_nobody_gets_in_without_signing_in(self):
        form = self.form("vessel")
        for address in addresses():
            response = Client().get(self.fill(address, form))
            if address not in ("/sign-in/", "/sign-out/"):
                self.assertRedirects(
                    response, f"/sign-in/?next={self.fill(address, form)}", fetch_redirect_response=False
                )

        # What only takes what a form sends leads back to the form's page, and says so where it is opened itself.
        sent = Client().post("/workshop/", {"name": "New"}, headers={"Referer": "http://testserver/workshop/?x=1"})
        self.assertRedirects(sent, "/sign-in/?next=/workshop/%3Fx%3D1", fetch_redirect_response=False)
        for came in ("http://elsewhere.example/workshop/", "nonsense", ""):
            sent = Client().post("/workshop/", headers={"Referer": came})
            self.assertRedirects(sent, "/sign-in/?next=/", fetch_redirect_response=False)
        opened = self.client.get(f"/workshop/project/{self.project.pk}/start")
        self.assertContains(opened, "only takes what a page sends", status_code=405)
        self.assertEqual(opened["Allow"], "POST")
        endless = Client().get("/desk/?of=" + "a" * 20_000)
        self.assertRedirects(endless, "/sign-in/", fetch_redirect_response=False)

    def test_operators_can_not_reach_the_workshop(self):
        self.client.force_login(self.operator)
        form = self.form("vessel")
        tried = [self.fill(a, form) for a in addresses() if a.startswith("/workshop/")]
        self.assertGreater(len(tried), 12)
        for address in tried:
            for method in (self.client.get, self.client.post):
                self.assertIn(method(address).status_code, (403, 405), address)
            self.assertEqual(self.client.post(address).status_code, 403, address)
        self.assertRedirects(self.client.get("/"), "/desk/")

    def test_no_address_falls_over(self):
        """Any address with any number and any parameter: a clear page, never status 500."""
        form = self.form("vessel")
        junk = [
            "",
            "x",
            "-1",
            "9" * 30,
            "n0",
            "i1",
            "i999",
            "kAAAA",
            "p5",
            "p" + "9" * 30,
            "\x00",
            "é/\\'\"%00<>",
            "k" + "A" * 5000,
        ]
        names = [
            "record",
            "field",
            "value",
            "position",
            "number",
            "start",
            "size",
            "order",
            "only-name",
            "only-length_m",
            "only-built",
            "only-vessel_type_code",
            "name",
            "step",
            "all",
            "seen",
            "only",
            "to",
            "revision",
            "act",
            "kind",
            "paste",
            "next",
        ]
        self.client.raise_request_exception = False
        for address in addresses():
            if address == "/sign-out/":
                continue
            for number in (None, 999_999):
                # Of what is not there nothing is read but its number.
                for value in junk if number is None else junk[:2]:
                    data = dict.fromkeys(names, value)
                    for method in (self.client.get, self.client.post):
                        if number is None and address.endswith("remove") and method == self.client.post:
                            continue  # this one does what it says
                        response = method(self.fill(address, form, number), data)
                        self.assertLess(response.status_code, 500, (method, address, value, response.content[:300]))

    def test_forms_need_their_token(self):
        form = self.form("vessel")
        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.builder)
        self.assertEqual(strict.post(f"/desk/{form.pk}/new").status_code, 403)

    def test_the_policy_is_strict_everywhere(self):
        for address in ("/sign-in/", "/workshop/", f"/desk/{self.form('vessel').pk}/", "/nowhere"):
            policy = self.client.get(address)["Content-Security-Policy"]
            self.assertIn("default-src 'none'", policy)
            self.assertNotIn("unsafe", policy)

    def test_signing_in_is_slowed_down(self):
        guest = Client()
        for _ in range(10):
            guest.post("/sign-in/", {"username": "rui", "password": "wrong"})
        response = guest.post("/sign-in/", {"username": "rui", "password": "quay-side-7"})
        self.assertEqual(response.status_code, 429)
        self.assertContains(response, "Wait five minutes", status_code=429)
        self.assertEqual(guest.post("/sign-in/", {"username": "inês", "password": "quay-side-7"}).status_code, 302)
        self.assertEqual(Person.objects.count(), 2)
