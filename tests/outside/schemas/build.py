"""Make SQLite files of schemas that nobody here designed, from the packages that own them. Run by `made()` in `__init__`.

    python build.py FOLDER

Needs the packages of requirements.txt, in an environment of its own: they ask for other versions than Enlace does.
"""

from __future__ import annotations

import datetime
import os
import sys
from decimal import Decimal
from pathlib import Path


def music(path: Path) -> None:
    """mbdata: the tables of an open music encyclopedia, as its models declare them; without rows."""
    from mbdata.models import Base
    from sqlalchemy import create_engine

    engine = create_engine(f"sqlite:///{path}")
    for table in Base.metadata.tables.values():
        table.schema = None
    Base.metadata.create_all(engine)


def accounting(path: Path) -> None:
    """piecash: an accounting book with accounts, two years of transactions and prices."""
    import piecash

    book = piecash.create_book(str(path), currency="EUR", overwrite=True)
    euro = book.default_currency
    kinds = {"Assets": "ASSET", "Income": "INCOME", "Expenses": "EXPENSE"}
    tops = {
        name: piecash.Account(name, kind, euro, parent=book.root_account, placeholder=True)
        for name, kind in kinds.items()
    }
    bank = piecash.Account("Current account", "BANK", euro, parent=tops["Assets"])
    names = ["Harbour dues", "Pilotage", "Towage", "Water", "Waste", "Wages", "Rent", "Fuel", "Insurance", "Repairs"]
    others = [
        piecash.Account(n, "EXPENSE", euro, parent=tops["Expenses"], description=f"All that is {n.lower()}")
        for n in names
    ]
    for i in range(120):
        amount, other = Decimal(100 + 7 * i), others[i % len(others)]
        piecash.Transaction(
            currency=euro, description=f"{other.name} {i:03}", num=f"{i:04}",
            post_date=datetime.date(2025, 1, 1) + datetime.timedelta(days=6 * i),
            splits=[piecash.Split(account=bank, value=-amount), piecash.Split(account=other, value=amount)],
        )  # fmt: skip
    for i in range(30):
        customer = piecash.Customer(
            f"Customer {i}", currency=euro, address=piecash.Address("", f"{i} Quay road", "Salgueiro")
        )
        book.add(customer)
    book.save()
    book.close()


def transit(path: Path) -> None:
    """pygtfs: the tables of a transit feed, and a feed of 12 routes and 200 trips."""
    import pygtfs
    from pygtfs import gtfs_entities as g

    schedule = pygtfs.Schedule(f"sqlite:///{path}")
    session = schedule.session
    feed = g.Feed()
    feed.feed_name, feed.feed_append_date = "harbour", datetime.date(2026, 1, 1)
    session.add(feed)
    session.flush()

    def add(kind: type, **values: object) -> None:
        item = kind(feed_id=feed.feed_id, **values)
        session.add(item)

    add(
        g.Agency, agency_id="A1", agency_name="Harbour lines", agency_url="https://lines.example", agency_timezone="UTC"
    )
    for i in range(40):
        add(g.Stop, stop_id=f"S{i:03}", stop_code=f"{i}", stop_name=f"Quay {i % 20}", stop_desc=f"{'north' if i % 2 else 'south'} side",
            stop_lat="41.1", stop_lon="-8.6", location_type="0")  # fmt: skip
    add(g.Service, service_id="WD", monday="1", tuesday="1", wednesday="1", thursday="1", friday="1", saturday="0", sunday="0",
        start_date="20260101", end_date="20261231")  # fmt: skip
    for i in range(12):
        add(
            g.Route,
            route_id=f"R{i}",
            agency_id="A1",
            route_short_name=f"{i + 1}",
            route_long_name=f"Quay {i} to market",
            route_type="3",
        )
    for i in range(200):
        add(
            g.Trip,
            trip_id=f"T{i:04}",
            route_id=f"R{i % 12}",
            service_id="WD",
            trip_headsign="Market",
            direction_id=str(i % 2),
        )
    session.flush()
    for i in range(200):
        for j in range(6):
            at = f"{6 + i // 20:02}:{(3 * i + 5 * j) % 60:02}:00"
            add(
                g.StopTime,
                trip_id=f"T{i:04}",
                stop_sequence=str(j),
                stop_id=f"S{(i + j) % 40:03}",
                arrival_time=at,
                departure_time=at,
            )
    session.commit()


def _migrated(path: Path, apps: list[str], **settings: object) -> None:
    import django
    from django.conf import settings as configured

    configured.configure(
        INSTALLED_APPS=apps,
        DATABASES={"default": {"ENGINE": "django.db.backends.sqlite3", "NAME": str(path)}},
        USE_TZ=True, SECRET_KEY="x", ROOT_URLCONF="", STATIC_URL="/static/", DEFAULT_AUTO_FIELD="django.db.models.AutoField", **settings,
    )  # fmt: skip
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0, skip_checks=True)


CONTRIBUTED = ["django.contrib.auth", "django.contrib.contenttypes", "django.contrib.sites", "django.contrib.sessions",
               "django.contrib.messages", "django.contrib.flatpages", "django.contrib.redirects"]  # fmt: skip


OSCAR_DASHBOARDS = [
    "oscar.apps.dashboard.apps.DashboardConfig",
    *(
        f"oscar.apps.dashboard.{item}.apps.{item.capitalize()}DashboardConfig"
        for item in ("reports", "users", "orders", "catalogue", "offers", "partners", "pages", "ranges", "reviews", "vouchers",
                    "communications", "shipping")
    ),
]  # fmt: skip


def shop(path: Path) -> None:
    """django-oscar: a shop's own migrations, and a catalogue of 60 products with stock and an order each."""
    from importlib import import_module

    apps = [
        *CONTRIBUTED, "oscar.config.Shop", "oscar.apps.analytics.apps.AnalyticsConfig", "oscar.apps.checkout.apps.CheckoutConfig",
        "oscar.apps.address.apps.AddressConfig", "oscar.apps.shipping.apps.ShippingConfig",
        "oscar.apps.catalogue.apps.CatalogueConfig", "oscar.apps.catalogue.reviews.apps.CatalogueReviewsConfig",
        "oscar.apps.communication.apps.CommunicationConfig", "oscar.apps.partner.apps.PartnerConfig",
        "oscar.apps.basket.apps.BasketConfig", "oscar.apps.payment.apps.PaymentConfig", "oscar.apps.offer.apps.OfferConfig",
        "oscar.apps.order.apps.OrderConfig", "oscar.apps.customer.apps.CustomerConfig", "oscar.apps.search.apps.SearchConfig",
        "oscar.apps.voucher.apps.VoucherConfig", "oscar.apps.wishlists.apps.WishlistsConfig",
        *OSCAR_DASHBOARDS, "treebeard", "haystack", "sorl.thumbnail", "widget_tweaks", "django_tables2",
    ]  # fmt: skip
    defaults = import_module("oscar.defaults")
    more = {name: getattr(defaults, name) for name in dir(defaults) if name.startswith("OSCAR_")}
    _migrated(
        path,
        apps,
        SITE_ID=1,
        HAYSTACK_CONNECTIONS={"default": {"ENGINE": "haystack.backends.simple_backend.SimpleEngine"}},
        **more,
    )
    from django.contrib.auth.models import User
    from oscar.core.loading import get_model

    def model(app: str, name: str) -> type:
        return get_model(app, name)

    kind = model("catalogue", "ProductClass").objects.create(name="Goods")
    for top in ("Rope", "Paint", "Tools"):
        root = model("catalogue", "Category").add_root(name=top)
        for waits_for in ("Small", "Large"):
            root.add_child(name=waits_for)
    partner = model("partner", "Partner").objects.create(name="Chandler")
    people = [
        User.objects.create(username=f"user{i}", email=f"user{i}@example.org", first_name="Ana", last_name=f"Silva {i}")
        for i in range(20)
    ]
    for i in range(60):
        product = model("catalogue", "Product").objects.create(title=f"Product {i}", upc=f"{i:012}", product_class=kind)
        model("partner", "StockRecord").objects.create(
            product=product, partner=partner, partner_sku=f"SKU{i}", price=Decimal(i), num_in_stock=i
        )
        model("reviews", "ProductReview").objects.create(
            product=product, score=i % 5, title=f"Review {i}", body="Good.", user=people[i % 20]
        )
        basket = model("basket", "Basket").objects.create(owner=people[i % 20])
        model("order", "Order").objects.create(number=f"{10000 + i}", basket=basket, user=people[i % 20], total_incl_tax=i, total_excl_tax=i, shipping_incl_tax=0, shipping_excl_tax=0)  # fmt: skip


def pages(path: Path) -> None:
    """wagtail: a content system's own migrations, its first pages, and 40 more."""
    names = [
        "contrib.forms",
        "contrib.redirects",
        "embeds",
        "sites",
        "users",
        "snippets",
        "documents",
        "images",
        "search",
        "admin",
        "",
    ]
    apps = [
        *CONTRIBUTED,
        *("wagtail" + (f".{name}" if name else "") for name in names),
        "taggit",
        "modelcluster",
        "django_tasks",
    ]
    _migrated(path, apps, SITE_ID=1, WAGTAIL_SITE_NAME="x", WAGTAILADMIN_BASE_URL="https://pages.example")
    from django.contrib.auth.models import User
    from wagtail.models import Page

    for i in range(20):
        User.objects.create(username=f"user{i}", email=f"user{i}@example.org", first_name="Rui", last_name=f"Costa {i}")
    root = Page.objects.get(depth=1)
    for i in range(40):
        root.add_child(instance=Page(title=f"Notice {i}", slug=f"notice-{i}"))


def records(path: Path) -> None:
    """beets: the file of a music collection, with 90 tracks of 9 albums."""
    from beets.library import Item, Library

    library = Library(str(path))
    for album in range(9):
        items = [
            Item(title=f"Track {i}", artist=f"Band {album}", album=f"Album {album}", track=i, path=f"/music/{album}/{i}.mp3".encode(), length=180.0 + i)
            for i in range(10)
        ]  # fmt: skip
        library.add_album(items)
    library._close() if hasattr(library, "_close") else None


SCHEMAS = (music, accounting, transit, shop, pages, records)


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for make in SCHEMAS:
        path = folder / f"{make.__name__}.sqlite"
        if path.exists():
            continue
        # Django's settings hold for a process, so that each schema has one.
        child = os.fork()
        if not child:
            status = 1
            try:
                make(path)
                status = 0
            except BaseException:
                import traceback

                traceback.print_exc()
                path.unlink(missing_ok=True)
            finally:
                os._exit(status)
        if os.waitpid(child, 0)[1]:
            sys.exit(f"{make.__name__} could not be made")


if __name__ == "__main__":
    main(Path(sys.argv[1]))
