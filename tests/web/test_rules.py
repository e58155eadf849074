"""Rules that a builder makes: they hold in every form, are tried on all rows, and warn or hold back."""

from enlace.core.dataset import RuleSpec
from enlace.core.model.values import record_id
from enlace.core.rules.trial import broken_rows
from enlace.workshop.details import Above, add_detail, possible_details
from enlace.workshop.models import Rule
from tests.servers import OnServer, on_each_server
from tests.web.pages import Pages


class Rules(Pages):
    def setUp(self):
        super().setUp()
        self.vessels = self.form("vessel")
        self.address = f"/workshop/dataset/{self.vessels.dataset_id}/rules"

    def add(self, expression, message="", severity="error", runs="always"):
        data = {"expression": expression, "message": message, "severity": severity, "runs": runs}
        return self.client.post(self.address, data, follow=True)

    def test_an_error_holds_a_save_back(self):
        self.add("flag <> 'XX' OR gross_tonnage < 1000", "Flag {flag} is not for {gross_tonnage} GT.")
        self.sql("UPDATE vessel SET gross_tonnage = 5000 WHERE id = 1")
        response = self.edit(self.vessels, "i1", flag="XX")
        self.assertContains(response, "Flag XX is not for 5000 GT.")
        self.assertIn("Nothing was saved", self.said(self.post(self.vessels, "save")))
        self.edit(self.vessels, "i1", gross_tonnage="900")
        self.assertIn("Saved 1 record", self.said(self.post(self.vessels, "save")))

    def test_a_warning_is_told_and_does_not(self):
        self.add("length_m > 50", "{length_m} m is short.", "warning")
        response = self.edit(self.vessels, "i2", length_m="49.5")
        self.assertContains(response, "49.50 m is short.")
        self.assertContains(response, 'class="note warned"')
        self.assertNotContains(response, "attention")
        self.assertIn("Saved 1 record", self.said(self.post(self.vessels, "save")))

    def test_a_message_says_what_the_rule_does_not_ask_for(self):
        """Of a list's line, beside a field of the record and beside one of its details."""
        calls = self.form("port_call")
        message = "{sum(cargo_line.tonnes)} t for {vessel.name} of {vessel.gross_tonnage} GT."
        calls.dataset.rules.create(expression="sum(cargo_line.tonnes) < 1", message=message, severity="warning")
        calls.dataset.touch()
        add_detail(Above(calls), next(r for r in possible_details(Above(calls)) if r.table == "cargo_line"))
        [(name, tonnage)] = self.sql(
            "SELECT v.name, v.gross_tonnage FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE c.id = 1"
        )
        self.edit(calls, "i1", purpose="tow")
        data = {"record": record_id((1, 1)), "field": "tonnes", "value": "9"}
        self.client.post(f"/desk/{calls.pk}/detail/cargo_line/i1/edit", data, headers={"HX-Request": "true"})
        page = self.client.get(f"/desk/{calls.pk}/review").content.decode()
        self.assertEqual(page.count(f"t for {name} of {tonnage} GT."), 2, page[-3000:])

    def test_a_rule_that_runs_on_save_is_told_then_and_until_the_record_is_edited(self):
        self.add("length_m > 50", "{length_m} m is short.", runs="save")
        self.assertNotContains(self.edit(self.vessels, "i2", length_m="49.5"), "is short")
        page = f"/desk/{self.vessels.pk}/?record=i2"
        self.assertNotContains(self.client.get(page), "is short")
        saved = self.post(self.vessels, "save")
        self.assertIn("Nothing was saved", self.said(saved))
        self.assertContains(saved, "49.50 m is short.")
        self.assertContains(self.client.get(page), "1 needs attention")
        self.assertNotContains(self.edit(self.vessels, "i2", length_m="49.75"), "is short")
        self.assertContains(self.post(self.vessels, "save"), "49.75 m is short.")
        self.edit(self.vessels, "i2", length_m="51")
        self.assertIn("Saved 1 record", self.said(self.post(self.vessels, "save")))
        late = self.add("length_m > 50", severity="warning", runs="save")
        self.assertContains(late, "too late", status_code=400)
        self.assertContains(late, 'id="rule-told"', status_code=400)
        self.assertContains(late, ">length_m &gt; 50</textarea>", status_code=400)  # nothing typed is lost
        self.assertContains(late, 'value="warning" checked', status_code=400)

    def test_a_rule_for_new_records_only(self):
        self.add("length_m > 500", "{length_m} m is short.", runs="new")
        self.assertNotContains(self.edit(self.vessels, "i2", length_m="49.5"), "is short")
        new = self.new(self.vessels)
        self.assertContains(self.edit(self.vessels, new, length_m="49.5"), "49.50 m is short.")

    def test_tried_on_all_rows(self):
        expected = self.sql("SELECT count(*) FROM vessel WHERE NOT (length_m > 100 AND flag = 'PT')")[0][0]
        page = self.add("length_m > 100 AND flag = 'PT'")
        self.assertContains(page, f"{expected} rows break it")
        self.assertEqual(page.content.decode().count("?record=i"), expected)
        self.assertContains(self.add("length_m > 0"), "No row breaks it")

    def test_what_is_no_rule_is_told(self):
        for expression in ("", "length_m >", "nowhere > 3", "(SELECT 1)", "1 = 1", "length_m > 0; DROP TABLE vessel"):
            response = self.add(expression)
            self.assertEqual(response.status_code, 400, expression)
        self.assertFalse(Rule.objects.filter(own=True).exists())

    def test_the_tables_own_conditions_stay(self):
        own = Rule.objects.filter(own=False).first()
        self.assertEqual(self.client.post(f"/workshop/rule/{own.pk}/remove").status_code, 400)
        self.add("length_m > 5")
        mine = Rule.objects.get(own=True)
        self.client.post(f"/workshop/rule/{mine.pk}/remove")
        self.assertFalse(Rule.objects.filter(own=True).exists())


class Trials(OnServer):
    def test_the_server_finds_the_rows(self):
        dataset = self.bench("shipment").dataset
        for rule, condition in (
            ("weight > 50 OR code LIKE 'S-00%'", "NOT (weight > 50 OR code LIKE 'S-00%')"),
            ("agent_id IN (1, 2)", "NOT (agent_id IN (1, 2))"),
            ("coalesce(weight, 0) * 2 >= 10", "NOT (coalesce(weight, 0) * 2 >= 10)"),
            ("day IS NULL", "NOT (day IS NULL)"),
        ):
            trial = broken_rows(self.spec, dataset, RuleSpec(rule), 1000)
            whole = self.place.run(f"SELECT id FROM shipment WHERE {condition} ORDER BY id")
            self.assertEqual([item for item, _ in trial.rows], [f"i{row[0]}" for row in whole], rule)
            self.assertEqual(trial.count, len(whole))


on_each_server(globals(), Trials)
