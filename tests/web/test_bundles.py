"""New records that are kept together in a draft are the same as those that are kept one by one."""

import random
from dataclasses import replace
from decimal import Decimal
from unittest.mock import patch

from enlace.core.model.whole_column import whole
from enlace.core.rules.together import MISSING
from enlace.desk import draft_bundles, drafts
from enlace.desk.drafts import DraftStore
from enlace.desk.models import Draft, DraftBundle, DraftRecord
from tests.web.pages import Pages

MANY = 40
COLUMNS = {
    "name": [f"Vessel {n}" for n in range(MANY)],
    "weight": [Decimal(n) / 4 for n in range(MANY)],
    "note": [MISSING if n % 3 else f"Note {n}" for n in range(MANY)],
    "flag": [MISSING] * MANY,
    "mixed": [None, 1.5, b"\0\xff", "\u00e9\n", 2**70] * 8,
}


class Bundles(Pages):
    def setUp(self):
        super().setUp()
        form = self.form("vessel")
        self.both = [DraftStore(person, form) for person in (self.builder, self.operator)]

    def put(self, count: int) -> None:
        """The same new records into both drafts, in the first together."""
        columns = {name: whole(column[:count]) for name, column in COLUMNS.items()}
        for store, least in zip(self.both, (2, 1_000), strict=True):
            with patch.object(drafts, "LEAST", least), patch.object(draft_bundles, "MOST", 7):
                store.put("Bring in", {}, {}, (), store.new_rows(columns, count))

    def ids(self, store: DraftStore) -> list[str]:
        return list(store.by_part().get("", {}))

    def told(self, store: DraftStore) -> list:
        """All that a store tells, its ids by their places."""
        store.look_again()
        ids = self.ids(store)
        at = {identifier: place for place, identifier in enumerate(ids)}

        def plain(record):
            return at.get(record.id), replace(record, id="")

        news = [i for i in ids if i.startswith("n")]
        counts = {n: c for n, c in store.counts().items() if n not in ("bytes", "bundled")}
        return [
            [plain(r) for r in store.all().values()], [plain(r) for r in store.in_view()], store.pending_here(), counts,
            [[at[i] for i in store.new_slice(start, size)] for start in range(0, len(ids) + 2, 3) for size in (1, 5, 99)],
            [store.new_place(i) for i in (*news, "n0", "i1", f"{'n':0<17}000001")], store.new_count(),
            {at[i]: plain(r) for i, r in store.some(ids[::3]).items()}, [plain(r) for r in store.some(ids[1:2]).values()],
            [[plain(r) for r in several.values()] for several in store.by_part(later=False).values()],
            [plain(r) for r in store.telling("", ["new"]).values()], {r.state for r in store.telling("", []).values()},
            [[plain(r) for r in several.values()] for several in store.sample(9).values()],
            store.from_texts(store.as_texts(store.by_part())) == store.by_part(), store.can_undo(), store.can_redo(),
        ]  # fmt: skip

    def act(self, name: str, place: int, store: DraftStore) -> None:
        ids = self.ids(store)
        if name in ("undo", "redo"):
            getattr(store, name)()
        elif ids:
            identifier = ids[place % len(ids)]
            was = store.get(identifier)
            changed = replace(was, now={**was.now, "name": f"Changed {place}"})
            acts = {
                "edit": lambda: store.put("Edit", {identifier: was}, {identifier: changed}),
                "remove": lambda: store.put("Remove", {identifier: was}, {identifier: None}),
                "fault": lambda: store.note_fault(identifier, bool(place % 3)),
                "save some": lambda: store.after_save({}, [("", i) for i in ids[place % 5 :: 2]]),
                "save": lambda: store.after_save({}, [("", i) for i in ids]),
                "refused": lambda: store.after_save(
                    {("", identifier): changed}, [("", i) for i in ids if i != identifier]
                ),
                "clear": store.clear,
            }
            acts[name]()

    def test_whatever_is_done_the_same_is_pending(self):
        names = [
            "edit",
            "edit",
            "remove",
            "fault",
            "undo",
            "undo",
            "redo",
            "put",
            "save some",
            "save",
            "refused",
            "clear",
        ]
        for seed in range(5):
            chance = random.Random(seed)
            self.put(MANY)
            for step in range(14):
                name = chance.choice(names[:8] if step < 9 else names)
                place = chance.randrange(1_000)
                with self.subTest(seed=seed, step=step, act=name):
                    if name == "put":
                        self.put(5 + place % 20)
                    else:
                        for store in self.both:
                            self.act(name, place, store)
                    first, second = map(self.told, self.both)
                    self.assertEqual(first, second)
            for store in self.both:
                store.clear()

    def test_only_what_is_changed_is_kept_alone(self):
        self.put(MANY)
        store = self.both[0]
        self.assertEqual((DraftBundle.objects.count(), store.draft.records.count()), (6, 0))
        identifier = self.ids(store)[9]
        was = store.get(identifier)
        store.put("Edit", {identifier: was}, {identifier: replace(was, now={"name": "Other"})})
        self.assertEqual((draft_bundles.standing(store.draft).count(), store.draft.records.count()), (5, 7))
        draft = Draft.objects.get(pk=store.draft.pk)
        bodies = [
            *draft.records.values_list("body", flat=True),
            *draft_bundles.standing(draft).values_list("body", flat=True),
        ]
        self.assertEqual(draft.counts["bytes"], sum(map(len, bodies)))
        store.undo()
        store.undo()
        self.assertEqual((self.ids(store), DraftRecord.objects.filter(draft=draft).count()), ([], 0))
        store.redo()
        self.assertEqual((len(self.ids(store)), DraftBundle.objects.filter(draft=draft).count()), (MANY, 6))
