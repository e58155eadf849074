"""Fill the harbour's database: always the same rows from the same seed, all of them invented."""

from __future__ import annotations

import datetime
import io
import math
import os
import random
import sqlite3
from pathlib import Path

from PIL import Image, ImageDraw

SCHEMA = Path(__file__).with_name("schema.sql")
SEED = 20260131
VESSELS, CALLS, CARGO_LINES, TIDE_READINGS = 40, 1200, 4000, 200_000
TODAY = datetime.datetime(2026, 6, 1, 6, 0)

TYPES = [
    ("GCS", "General cargo ship", 1),
    ("CNT", "Container ship", 1),
    ("BLK", "Bulk carrier", 1),
    ("TNK", "Tanker", 1),
    ("RRO", "Roll-on roll-off ship", 1),
    ("FSH", "Fishing vessel", 0),
    ("TUG", "Tug", 0),
    ("YCT", "Yacht", 0),
]
FIRST = [
    "Alva",
    "Brisa",
    "Canela",
    "Duna",
    "Estrela",
    "Farol",
    "Gaivota",
    "Horta",
    "Ilha",
    "Jangada",
    "Lapa",
    "Maré",
    "Névoa",
    "Onda",
    "Pedra",
    "Quilha",
    "Rola",
]
SECOND = "Azul Branca Clara Doce do Norte do Sul Dourada Mansa Nova Serena Velha Verde".replace("do ", "do_").split()
PEOPLE = [
    "Abel",
    "Beatriz",
    "Célia",
    "Dário",
    "Elsa",
    "Fausto",
    "Glória",
    "Hélio",
    "Inês",
    "Jaime",
    "Laura",
    "Mário",
    "Nélia",
    "Otília",
    "Pilar",
    "Rui",
]
FAMILIES = [
    "Alcoforado",
    "Bragado",
    "Caldeirinha",
    "Delgadinho",
    "Espinhal",
    "Faroleiro",
    "Godinhal",
    "Mareante",
    "Novais",
    "Pedreiro",
]
HOUSES = [
    "Salgueiro Shipping Office",
    "Ribeira & Onda",
    "Agência do Molhe",
    "North Quay Forwarders",
    "Maré Alta Agents",
]
QUAYS = [
    ("N", "North quay", 3, 9.5),
    ("S", "South quay", 4, 7.0),
    ("T", "Tanker pier", 2, 12.8),
    ("F", "Fish dock", 3, 4.2),
]
COMMODITIES = [
    ("CORK", "Cork", 0, "0.4200"),
    ("SALT", "Sea salt", 0, "0.1800"),
    ("WHEAT", "Wheat", 0, "0.2500"),
    ("TIMBER", "Sawn timber", 0, "0.3900"),
    ("DIESEL", "Gas oil", 1, "0.9500"),
    ("CEMENT", "Cement", 0, "0.2200"),
    ("AMMON", "Ammonium nitrate", 1, "1.7500"),
    ("FISH", "Frozen fish", 0, "0.6100"),
    ("PARTS", "Machine parts", 0, "0.8000"),
    ("WINE", "Wine in casks", 0, "0.5500"),
]
FLAGS = ["PT", "ES", "MT", "NO", "NL", "LR", "PA", "DK"]


def imo_number(six: int) -> str:
    """Six digits with the check digit of an IMO ship number: the digits times 7 to 2, the sum's last digit."""
    digits = f"{six:06}"
    return digits + str(sum(int(d) * w for d, w in zip(digits, range(7, 1, -1), strict=True)) % 10)


def container_number(owner: str, serial: int) -> str:
    """An owner code with category and six digits, with the check digit of ISO 6346 appended."""
    text = f"{owner}U{serial:06}"
    # Letters count from 10 on, multiples of 11 left out; each place weighs twice the one before it.
    letters = dict(zip("ABCDEFGHIJKLMNOPQRSTUVWXYZ", [n for n in range(10, 39) if n % 11], strict=True))
    total = sum((letters[c] if c in letters else int(c)) << i for i, c in enumerate(text))
    return text + str(total % 11 % 10)


def make_database(path: str | os.PathLike, tide_readings: int = TIDE_READINGS) -> None:
    """Make the database file anew. Takes a few seconds for the default size."""
    path = Path(path)
    fresh = path.with_name(path.name + ".new")
    fresh.unlink(missing_ok=True)
    connection = sqlite3.connect(fresh)
    try:
        connection.execute("PRAGMA foreign_keys = ON")
        connection.executescript(SCHEMA.read_text())
        with connection:
            _fill(connection, random.Random(SEED), tide_readings)
        connection.execute("ANALYZE")
        connection.execute(f"PRAGMA user_version = {int(tide_readings)}")
        connection.commit()
    finally:
        connection.close()
    os.replace(fresh, path)


def made_with(path: str | os.PathLike) -> int | None:
    """With how many tide readings a file was made; None when it is no such database."""
    try:
        with sqlite3.connect(path) as connection:
            return connection.execute("PRAGMA user_version").fetchone()[0]
    except sqlite3.Error:
        return None


def _fill(db: sqlite3.Connection, dice: random.Random, tide_readings: int) -> None:
    db.executemany("INSERT INTO vessel_type VALUES (?, ?, ?)", TYPES)
    db.executemany("INSERT INTO commodity VALUES (?, ?, ?, ?)", COMMODITIES)
    _agents(db, dice)
    _vessels(db, dice)
    for letter, quay, count, depth in QUAYS:
        rows = [(f"{letter}{n}", quay, dice.randrange(80, 260), depth + n / 4, n == 1) for n in range(1, count + 1)]
        db.executemany("INSERT INTO berth VALUES (?, ?, ?, ?, ?)", rows)
    _pilots(db, dice)
    _calls(db, dice)
    _tides(db, dice, tide_readings)
    for n in range(180):
        moment = TODAY - datetime.timedelta(minutes=37 * n)
        row = (
            _stamp(moment),
            f"{dice.randrange(10, 99)}-PS-{dice.randrange(10, 99)}",
            dice.choice(["in", "out"]),
            None,
        )
        db.execute("INSERT INTO gate_log VALUES (?, ?, ?, ?)", row)
    for n in range(25):
        places = dice.sample(["Outer roads", "Breakwater", "North quay", "South quay", "Tanker pier"], 2)
        row = (*places, _stamp(TODAY + datetime.timedelta(hours=n)), dice.choice(["day", "night"]), n % 5 == 0)
        db.execute('INSERT INTO "PilotOrder" ("from", "to", "when", "group", "Select") VALUES (?, ?, ?, ?, ?)', row)


def _stamp(moment: datetime.datetime) -> str:
    return moment.strftime("%Y-%m-%d %H:%M:%S")


def _person(dice: random.Random) -> str:
    return f"{dice.choice(PEOPLE)} {dice.choice(FAMILIES)}"


def _agents(db: sqlite3.Connection, dice: random.Random) -> None:
    names = HOUSES + [f"{house}, branch {place}" for house in HOUSES for place in ("Foz", "Cabo")]
    for n, name in enumerate(names):
        parent = None if n < len(HOUSES) else (n - len(HOUSES)) // 2 + 1
        mail = f"office{n + 1}@agents.example"
        row = (
            name,
            _person(dice),
            mail,
            f"+351 000 {100 + n:03} {dice.randrange(1000):03}",
            dice.randrange(5, 80) * 1000,
            parent,
        )
        columns = "name, contact_person, email, phone, credit_limit, parent_agent_id"
        db.execute(f"INSERT INTO agent ({columns}) VALUES (?, ?, ?, ?, ?, ?)", row)


def _vessels(db: sqlite3.Connection, dice: random.Random) -> None:
    names = [f"{a} {b}".replace("_", " ") for a in FIRST for b in SECOND]
    dice.shuffle(names)
    for n in range(VESSELS):
        kind = TYPES[n % len(TYPES)][0]
        big = kind in ("CNT", "BLK", "TNK", "RRO")
        length = dice.uniform(90, 230) if big else dice.uniform(14, 88)
        beam = length / dice.uniform(5.2, 7.4)
        built = datetime.date(dice.randrange(1978, 2026), dice.randrange(1, 13), dice.randrange(1, 29))
        remarks = None if n % 3 else "Radio on channel 12 before the breakwater.\nMooring lines from the port side."
        row = (
            imo_number(300_000 + 137 * n), names[n], kind, dice.choice(FLAGS), round(length, 2), round(beam, 2),
            round(beam / 2.6, 2), int(length * beam * (6 if big else 2)), built.isoformat(), n % 11 != 0,
            dice.randrange(1, len(HOUSES) + 1), _picture(n, kind) if n % 2 == 0 else None, remarks,
        )  # fmt: skip
        columns = "imo_no, name, vessel_type_code, flag, length_m, beam_m, draught_m, gross_tonnage, built, in_service, agent_id, photo, remarks"
        db.execute(f"INSERT INTO vessel ({columns}) VALUES ({', '.join('?' * len(row))})", row)


def _picture(number: int, kind: str) -> bytes:
    """A drawn ship on a drawn sea."""
    dice = random.Random(number)
    image = Image.new("RGB", (320, 180), (214, 226 - number % 20, 232))
    draw = ImageDraw.Draw(image)
    draw.rectangle((0, 128, 320, 180), fill=(52, 98 + number % 30, 122))
    hull = (dice.randrange(40, 190), dice.randrange(30, 90), dice.randrange(30, 90))
    draw.polygon([(40, 104), (284, 104), (258, 140), (62, 140)], fill=hull)
    draw.rectangle((56, 68, 102, 104), fill=(240, 238, 230))
    draw.rectangle((66, 44, 82, 68), fill=(166, 73, 42))
    for i in range(2 + len(kind) + number % 4):
        draw.rectangle(
            (112 + i * 22, 84, 130 + i * 22, 104), fill=(dice.randrange(90, 230), dice.randrange(90, 200), 90)
        )
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def _pilots(db: sqlite3.Connection, dice: random.Random) -> None:
    for n in range(9):
        until = datetime.date(2027, 1 + n, 15)
        row = (_person(dice), f"PS-{1200 + 7 * n}", until.isoformat(), n % 3 != 0)
        db.execute("INSERT INTO pilot (name, licence_no, licensed_until, on_duty) VALUES (?, ?, ?, ?)", row)
        for day in range(14):
            start = dice.choice([0, 6, 12])
            moment = (TODAY + datetime.timedelta(days=day)).date().isoformat()
            shift = (n + 1, moment, f"{start:02}:00", f"{start + 8:02}:30")
            db.execute("INSERT INTO pilot_shift VALUES (?, ?, ?, ?)", shift)


def _calls(db: sqlite3.Connection, dice: random.Random) -> None:
    depths = dict(db.execute("SELECT code, depth_m FROM berth ORDER BY code"))
    berths = list(depths)
    sizes = dict(db.execute("SELECT id, gross_tonnage FROM vessel"))
    cargo: list[tuple] = []
    moves: list[tuple] = []
    for n in range(1, CALLS + 1):
        eta = TODAY - datetime.timedelta(hours=8.2 * (CALLS - n - 30), minutes=dice.randrange(60))
        stay = datetime.timedelta(hours=dice.randrange(6, 60))
        status = "announced" if eta > TODAY else "berthed" if eta + stay > TODAY else "departed"
        if dice.random() < 0.02:
            status = "cancelled"
        vessel = dice.randrange(1, VESSELS + 1)
        purpose = dice.choice(["cargo", "cargo", "cargo", "repair", "crew change", "bunkering"])
        notes = "Needs fresh water on arrival." if dice.random() < 0.1 else None
        berth = dice.choice(berths)
        row = (
            n, vessel, berth, dice.randrange(1, 6), dice.choice([None, *range(1, 10)]), status,
            _stamp(eta), _stamp(eta + stay), _draught(dice, n, depths[berth]), purpose, notes,
        )  # fmt: skip
        db.execute(f"INSERT INTO port_call VALUES ({', '.join('?' * len(row))})", row)
        if status == "departed":
            paid = (eta + stay + datetime.timedelta(days=dice.randrange(2, 50))).date()
            issued = (eta + stay + datetime.timedelta(days=1)).date()
            amount = round(dice.uniform(180, 24_000), 2)
            values = (
                f"{eta.year}/{n:05}",
                n,
                issued.isoformat(),
                amount,
                paid.isoformat() if paid < TODAY.date() else None,
            )
            db.execute(
                "INSERT INTO dues_invoice (invoice_no, port_call_id, issued_on, amount, paid_on) VALUES (?, ?, ?, ?, ?)",
                values,
            )
        lines = CARGO_LINES * n // CALLS - CARGO_LINES * (n - 1) // CALLS
        for line in range(1, lines + 1):
            commodity = dice.choice(COMMODITIES)[0]
            cargo.append(
                (n, line, commodity, dice.choice(["in", "out"]), _tonnes(dice, sizes[vessel]), dice.randrange(400))
            )
        for box in range(dice.randrange(3) if n % 4 == 0 else 0):
            number = container_number(dice.choice(["PSG", "QZX", "JQV"]), n * 10 + box)
            moves.append((n, number, dice.choice(["in", "out"]), _stamp(eta + stay / 2), dice.randrange(2200, 32_000)))
    db.executemany("INSERT INTO cargo_line VALUES (?, ?, ?, ?, ?, ?)", cargo)
    db.executemany("INSERT INTO container_move VALUES (?, ?, ?, ?, ?)", moves)


def _draught(dice: random.Random, call: int, depth: float) -> float:
    """A draught that the berth is deep enough for; now and then one that it is not."""
    wanted = round(dice.uniform(2, 11), 1)
    return wanted if call % 61 == 0 else min(wanted, round(depth - 0.45, 1))


def _tonnes(dice: random.Random, gross_tonnage: int) -> float:
    """A cargo line that a vessel of such a size may carry several of."""
    return round(dice.uniform(2, 900) * min(1, gross_tonnage / 6000), 3)


def _tides(db: sqlite3.Connection, dice: random.Random, count: int) -> None:
    gauges = [("MOLH", "Breakwater"), ("FOZ", "River mouth"), ("DOCA", "Fish dock"), ("CABO", "Cape")]
    db.executemany("INSERT INTO tide_gauge VALUES (?, ?)", gauges)
    start = datetime.datetime(2024, 1, 1)

    def readings():
        for n in range(count):
            gauge = n % len(gauges)
            hours = n // len(gauges) / 6
            # The principal lunar tide has a period of 12.42 hours.
            level = 2.1 + 1.4 * math.sin(2 * math.pi * hours / 12.42 + gauge / 9) + dice.gauss(0, 0.03)
            yield (
                gauges[gauge][0],
                _stamp(start + datetime.timedelta(hours=hours)),
                None if n % 997 == 5 else round(level, 3),
                1 if n % 53 else 2,
            )

    db.executemany("INSERT INTO tide_reading (gauge_code, taken_at, level_m, quality) VALUES (?, ?, ?, ?)", readings())
