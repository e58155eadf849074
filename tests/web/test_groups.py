"""Rows in groups at the desk: lines of groups among those of rows, opened and closed for each person."""

import re
from html import unescape
from unittest import mock

from enlace.desk.models import OpenGroups
from enlace.workshop.models import Form
from tests.web.pages import Pages

HX = {"HX-Request": "true"}


class Groups(Pages):
    def setUp(self):
        super().setUp()
        self.calls = self.form("port_call")
        self.at = f"/desk/{self.calls.pk}/"

    def lines(self, group="status:value", start=0, size=100, **more):
        """The lines of a window: (words, count) of groups, ids of rows."""
        asked = {"start": start, "size": size, "group": group, **more}
        html = self.client.get(f"{self.at}rows", asked).content.decode()
        found = []
        for row in re.findall(r'<div role="row".*?(?=<div role="row"|$)', html, re.S):
            if 'data-group="' in row:
                words = unescape(re.search(r"<strong>(.*?)</strong>", row)[1])
                found.append((words, int(re.search(r'digits">([\d,]+)<', row)[1].replace(",", ""))))
            else:
                found.append(re.search(r'data-id="(\w+)"', row)[1])
        return found

    def fold(self, group="status:value", **data):
        response = self.client.post(f"{self.at}fold?group={group}", data, headers=HX)
        self.assertEqual(response.status_code, 200, response.content[-300:])
        return self.events(response)["enlace:total"]["total"]

    def key(self, words, group="status:value"):
        html = self.client.get(f"{self.at}rows", {"start": 0, "size": 100, "group": group}).content.decode()
        heads = {unescape(w): k for k, w in re.findall(r'data-group="(\w+)".*?<strong>(.*?)</strong>', html, re.S)}
        return heads[words]

    def test_groups_are_opened_one_by_one_and_all(self):
        counted = self.sql("SELECT status, count(*) FROM port_call GROUP BY 1 ORDER BY 1")
        self.assertEqual(self.lines(), counted)
        second, rows = counted[1]
        self.assertEqual(self.fold(key=self.key(second), open=1), len(counted) + rows)
        ids = [f"i{row[0]}" for row in self.sql("SELECT id FROM port_call WHERE status = ? ORDER BY id", second)]
        self.assertEqual(self.lines(), [counted[0], counted[1], *ids, *counted[2:]][:100])
        self.assertEqual(self.lines(start=3, size=2), ids[1:3])
        total = self.sql("SELECT count(*) FROM port_call")[0][0]
        self.assertEqual(self.fold(all=1, open=1), len(counted) + total)
        self.assertEqual(self.fold(all=1, open=""), len(counted))
        # by month, the latest first, and of another person nothing is open
        self.fold(all=1, open=1)
        self.client.force_login(self.operator)
        months = self.sql(
            "SELECT count(*) FROM port_call GROUP BY strftime('%Y%m', eta) ORDER BY strftime('%Y%m', eta) DESC"
        )
        self.assertEqual([count for _, count in self.lines("-eta:month")], [row[0] for row in months])
        self.assertEqual(OpenGroups.objects.count(), 1)
        self.assertEqual(self.lines("hidden:value")[:1], ["i1"])  # what can't be grouped by is left out

    def test_levels_and_sums(self):
        cargo = self.form("cargo_line")
        wanted = {"act": "total", "field": "tonnes", "value": "sum"}
        self.client.post(f"/desk/{cargo.pk}/columns", wanted, headers=HX)
        self.at = f"/desk/{cargo.pk}/"
        asked = "direction:value&group=tonnes:100"
        html = self.client.get(f"{self.at}rows?start=0&size=100&group={asked}").content.decode()
        whole = self.sql("SELECT direction, sum(tonnes) FROM cargo_line GROUP BY 1 ORDER BY 1")
        told = re.findall(r'Tonnes <span class="digits">([\d,.]+)', html)
        self.assertEqual([round(float(text.replace(",", "")), 3) for text in told], [round(row[1], 3) for row in whole])
        self.fold(asked, all=1, open=1)
        html = self.client.get(f"{self.at}rows?start=0&size=3&group={asked}").content.decode()
        self.assertEqual(re.findall(r'data-level="(\d)"', html), ["0", "1"])
        self.assertIn("0 to below 100", html)

    def test_the_draft_is_counted_in(self):
        for function in ("distinct", "first", "last"):
            wanted = {"act": "total", "field": "vessel_id", "value": function}
            self.client.post(f"{self.at}columns", wanted, headers=HX)
        counted = dict(self.sql("SELECT status, count(*) FROM port_call GROUP BY 1"))
        different = dict(self.sql("SELECT status, count(DISTINCT vessel_id) FROM port_call GROUP BY 1"))
        first = dict(
            self.sql(
                "SELECT status, vessel_id FROM port_call WHERE id IN (SELECT min(id) FROM port_call GROUP BY status)"
            )
        )
        html = self.client.get(f"{self.at}rows?start=0&size=9&group=status:value").content.decode()
        told = re.findall(r'<strong>(\w+)</strong>.*?different of Vessel <span class="digits">(\d+).*?first of Vessel <span class="digits">(\d+)', html, re.S)  # fmt: skip
        self.assertEqual(
            {words: (int(n), int(v)) for words, n, v in told}, {s: (different[s], first[s]) for s in counted}
        )
        one, was = self.sql("SELECT id, status FROM port_call ORDER BY id LIMIT 1")[0]
        to = next(status for status in counted if status != was)
        self.post(self.calls, "edit", record=f"i{one}", field="status", value=to)
        answer = self.client.get(f"{self.at}rows?start=0&size=9&group=status:value")
        self.assertEqual(dict(self.lines()), {**counted, was: counted[was] - 1, to: counted[to] + 1})
        self.assertContains(answer, "+1 by the draft")
        self.assertContains(answer, "−1 by the draft")
        self.assertEqual(answer.headers["Enlace-Lines"], str(len(counted)))
        self.post(self.calls, "edit", record=f"i{one}", field="draught_m", value="19.87")  # a group that nobody had
        self.assertEqual(self.lines("draught_m:value", size=500)[-1], ("19.87", 1))
        self.post(self.calls, "undo", record=f"i{one}")
        self.post(self.calls, "undo", record=f"i{one}")
        self.assertEqual(dict(self.lines()), counted)

    def test_moves_and_new_records_among_groups(self):
        self.fold(all=1, open=1)
        counted = self.sql("SELECT status, count(*) FROM port_call GROUP BY 1 ORDER BY 1")
        last = self.sql("SELECT id FROM port_call WHERE status = ? ORDER BY id", counted[1][0])[-1][0]
        moved = self.client.get(f"{self.at}record?record=i{last}&group=status:value", headers=HX)
        current = self.events(moved)["enlace:current"]
        self.assertEqual(current["line"], 1 + counted[0][1] + counted[1][1])
        self.assertEqual(current["position"], counted[0][1] + counted[1][1] - 1)
        there = self.client.get(f"{self.at}at?line={current['line']}&group=status:value", headers=HX)
        self.assertEqual(self.events(there)["enlace:current"]["id"], f"i{last}")
        self.fold(all=1, open="")
        closed = self.client.get(f"{self.at}record?record=i{last}&group=status:value", headers=HX)
        self.assertEqual(self.events(closed)["enlace:current"]["line"], 1)
        self.client.post(f"{self.at}new?group=status:value", {"record": "i1"}, headers=HX)
        self.assertEqual(self.lines()[-2], ("(empty)", 1))
        new = self.lines()[-1]
        self.assertRegex(new, "^n")
        page = self.client.get(f"{self.at}?group=status:value").content.decode()
        # The group that the new record is in, which nobody had and is open for it, and its own line.
        self.assertIn(f'data-total="{len(counted) + 2}"', page)
        self.assertIn("in groups by", page)
        self.assertIn("data-grouped", page)
        self.post(
            self.calls, "edit", record=new, field="status", value=counted[1][0]
        )  # it goes where it belongs, here behind a line that is closed
        self.assertEqual(self.lines(), [(words, n + (words == counted[1][0])) for words, n in counted])
        self.fold(key=self.key(counted[1][0]), open=1)
        self.assertEqual(self.lines(start=2 + counted[1][1], size=2), [new, counted[2]])
        rows = self.client.get(f"{self.at}rows?start=0&size=9&group=status:value&record={new}")
        self.assertEqual(rows.headers["Enlace-Line"], str(2 + counted[1][1]))
        there = self.client.get(f"{self.at}at?line={2 + counted[1][1]}&group=status:value", headers=HX)
        self.assertEqual(self.events(there)["enlace:current"]["id"], new)
        nothing_kept = mock.patch.dict("enlace.desk.grouped._counted", clear=True)
        with mock.patch("enlace.desk.grouped.MOST_DRAFTED", 0), nothing_kept:
            self.assertEqual(self.lines(start=len(counted) + counted[1][1]), [new])  # behind all of them
            page = self.client.get(f"{self.at}?group=status:value").content.decode()
            self.assertIn("groups do not count it in", page)

    def test_a_query_s_values_are_each_request_s_own(self):
        sql = "SELECT c.id, c.status, v.name AS vessel FROM port_call c JOIN vessel v ON v.id = c.vessel_id WHERE c.status = :status"
        pad = f"/workshop/connection/{self.connection.pk}/query/keep"
        self.client.post(pad, {"sql": sql, "name": "By status", "given-status": "departed"})
        form = Form.objects.get(title="By status")
        self.at = f"/desk/{form.pk}/"
        for status in ("departed", "cancelled", "departed"):
            self.client.post(f"{self.at}given", {"given-status": status})
            told = self.lines("vessel:letter")
            wanted = self.sql(
                "SELECT upper(substr(v.name, 1, 1)), count(*) FROM port_call c JOIN vessel v ON v.id = c.vessel_id"
                " WHERE c.status = ? GROUP BY 1 ORDER BY 1",
                status,
            )
            self.assertEqual(told, wanted)
