"""Throwaway PostgreSQL and MariaDB servers from Debian's packages: on free ports, in a folder of their own.

They run as an unprivileged user where this program runs as root (neither server starts as root), listen on
127.0.0.1 only, and end with the process that started them.
"""

from __future__ import annotations

import atexit
import glob
import os
import pwd
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import time
from pathlib import Path

from scripts.serving import free_port

USER = "harbourmaster"
DATABASE = "harbour"
CLERK = "office"
SECONDS = 60


class Throwaway:
    """One database server. Its files are removed at the end unless it was given a folder to keep.

    kind: "postgresql" or "mariadb". port, user, password, database: how to reach it on 127.0.0.1.
    """

    kind = ""

    def __init__(self, folder: Path | None = None, port: int | None = None, password: str = "", safe: bool = False):
        """safe: write through to the disk at every commit, as a server for real data does."""
        self.kept = folder is not None
        self.folder = folder or Path(tempfile.mkdtemp(prefix=f"enlace-{self.kind}-"))
        self.folder.mkdir(parents=True, exist_ok=True)
        self.port = port or free_port()
        self.user, self.database = USER, DATABASE
        self.password = password or secrets.token_urlsafe(12)
        self.safe = safe
        self.process: subprocess.Popen[bytes] | None = None
        self.account = _unprivileged()
        atexit.register(self.end)

    @property
    def parameters(self) -> dict[str, str]:
        """What a connection to it needs, the password apart."""
        return {"host": "127.0.0.1", "port": str(self.port), "database": self.database, "user": self.user}

    def start(self) -> None:
        """Make its files at the first start, start it, and wait until it answers. Raises RuntimeError."""
        fresh = not (self.folder / "data").exists()
        if fresh:
            self._own(self.folder)
            self.prepare()
        self.process = self.popen(self.command())
        limit = time.monotonic() + SECONDS
        while not self.answers():
            if self.process.poll() is not None and "is still in use" in self.log() and time.monotonic() < limit:
                # Killed just now, its sessions have processes of their own that have to notice it first.
                time.sleep(0.3)
                self.process = self.popen(self.command())
            if self.process.poll() is not None or time.monotonic() > limit:
                raise RuntimeError(f"{self.kind} did not start: {self.log()}")
            time.sleep(0.1)
        if fresh:
            self.make_database()

    def end(self) -> None:
        """Stop it, and remove its files."""
        self.stop(signal.SIGQUIT if self.kind == "postgresql" else signal.SIGKILL)
        if not self.kept:
            shutil.rmtree(self.folder, ignore_errors=True)

    def stop(self, how: signal.Signals = signal.SIGKILL) -> None:
        """End its processes; with SIGKILL as a crash would."""
        if self.process and self.process.poll() is None:
            if how == signal.SIGKILL:
                os.killpg(self.process.pid, how)
            else:
                self.process.send_signal(how)
            self.process.wait()

    def halt(self) -> None:
        """End it even where another process started it: the server's own note says which process it is."""
        try:
            number = int(self.pid_file.read_text().split()[0])
            os.kill(number, signal.SIGKILL if self.kind == "mariadb" else signal.SIGQUIT)
        except (OSError, ValueError, IndexError):
            return
        limit = time.monotonic() + SECONDS
        while self.answers() and time.monotonic() < limit:
            time.sleep(0.1)
        self.pid_file.unlink(missing_ok=True)

    @property
    def pid_file(self) -> Path:
        raise NotImplementedError

    def connect(self, database: str = DATABASE, autocommit: bool = False):
        """A connection of the driver's own."""
        raise NotImplementedError

    # -- somebody who may do what a form needs, and no more ------------------------------------------------

    def make_clerk(self, password: str) -> None:
        """An ordinary role that owns the tables of the database, by the name CLERK."""
        raise NotImplementedError

    def popen(self, command: list[str]) -> subprocess.Popen[bytes]:
        with open(self.folder / "log", "ab") as out:
            return subprocess.Popen(
                command, stdout=out, stderr=out, start_new_session=True, cwd=self.folder, **self._as()
            )

    def run(self, command: list[str]) -> None:
        done = subprocess.run(command, capture_output=True, text=True, cwd=self.folder, **self._as())
        if done.returncode:
            raise RuntimeError(f"{command[0]}: {done.stderr[-800:] or done.stdout[-800:]}")

    def log(self) -> str:
        path = self.folder / "log"
        return path.read_text(errors="replace")[-800:] if path.exists() else "it left no log"

    def _as(self) -> dict:
        return {"user": self.account.pw_uid, "group": self.account.pw_gid, "extra_groups": []} if self.account else {}

    def _own(self, path: Path) -> None:
        if self.account:
            os.chown(path, self.account.pw_uid, self.account.pw_gid)

    def prepare(self) -> None:
        raise NotImplementedError

    def command(self) -> list[str]:
        raise NotImplementedError

    def answers(self) -> bool:
        raise NotImplementedError

    def make_database(self) -> None:
        raise NotImplementedError


class PostgreSQL(Throwaway):
    kind = "postgresql"

    @property
    def pid_file(self) -> Path:
        return self.folder / "data" / "postmaster.pid"

    def _program(self, name: str) -> str:
        places = sorted(glob.glob(f"/usr/lib/postgresql/*/bin/{name}"), key=lambda p: int(p.split("/")[4]))
        if not places and not shutil.which(name):
            raise RuntimeError("PostgreSQL's server is missing: install Debian's package postgresql.")
        return places[-1] if places else str(shutil.which(name))

    def prepare(self) -> None:
        secret = self.folder / "secret"
        secret.write_text(self.password)
        self._own(secret)
        options = ["-U", self.user, "--auth=scram-sha-256", f"--pwfile={secret}", "-E", "UTF8", "--locale=C.UTF-8"]
        self.run([self._program("initdb"), "-D", str(self.folder / "data"), *options, "--no-sync"])
        secret.unlink()
        make_certificate(self.folder / "data")
        for name in ("server.key", "server.crt"):
            self._own(self.folder / "data" / name)

    def command(self) -> list[str]:
        options = [
            "listen_addresses=127.0.0.1",
            "ssl=on",
            f"fsync={'on' if self.safe else 'off'}",
            "max_connections=200",
        ]
        given = [part for option in options for part in ("-c", option)]
        data = str(self.folder / "data")
        return [self._program("postgres"), "-D", data, "-p", str(self.port), "-k", str(self.folder), *given]

    def connect(self, database: str = DATABASE, autocommit: bool = False):
        import psycopg

        place = {"host": "127.0.0.1", "port": self.port, "dbname": database}
        return psycopg.connect(user=self.user, password=self.password, autocommit=autocommit, **place)

    def answers(self) -> bool:
        import psycopg

        try:
            self.connect("postgres").close()
            return True
        except psycopg.OperationalError:
            return False

    def make_database(self) -> None:
        with self.connect("postgres", autocommit=True) as db:
            db.execute(f"CREATE DATABASE {self.database}")

    def make_clerk(self, password: str) -> None:
        with self.connect(self.database, autocommit=True) as db:
            db.execute(f"CREATE ROLE {CLERK} LOGIN PASSWORD '{password}'")  # of letters and digits
            db.execute(f"GRANT ALL ON SCHEMA public TO {CLERK}")


class MariaDB(Throwaway):
    kind = "mariadb"

    @property
    def pid_file(self) -> Path:
        return self.folder / "pid"

    def connect(self, database: str = DATABASE, autocommit: bool = False):
        import pymysql

        place = {"host": "127.0.0.1", "port": self.port, "database": database}
        return pymysql.connect(user=self.user, password=self.password, autocommit=autocommit, **place)

    def prepare(self) -> None:
        program = shutil.which("mariadb-install-db")
        if not program:
            raise RuntimeError("MariaDB's server is missing: install Debian's package mariadb-server.")
        options = ["--no-defaults", f"--datadir={self.folder / 'data'}", "--auth-root-authentication-method=normal"]
        self.run([program, *options, "--skip-test-db", f"--tmpdir={self.folder}"])

    def command(self) -> list[str]:
        program = shutil.which("mariadbd") or "/usr/sbin/mariadbd"
        flush = "1" if self.safe else "0"
        options = [f"--port={self.port}", "--bind-address=127.0.0.1", f"--socket={self.folder / 's'}", "--skip-log-bin"]
        options += [f"--innodb-flush-log-at-trx-commit={flush}", "--innodb-buffer-pool-size=64M", "--skip-name-resolve"]
        data = [f"--datadir={self.folder / 'data'}", f"--tmpdir={self.folder}", f"--pid-file={self.folder / 'pid'}"]
        return [program, "--no-defaults", *data, *options, "--max-connections=300"]

    def answers(self) -> bool:
        try:
            with socket.create_connection(("127.0.0.1", self.port), 1) as probe:
                return bool(probe.recv(1))
        except OSError:
            return False

    def make_database(self) -> None:
        import pymysql

        db = pymysql.connect(unix_socket=str(self.folder / "s"), user="root", autocommit=True)
        with db.cursor() as cursor:
            cursor.execute(f"CREATE DATABASE {self.database} CHARACTER SET utf8mb4")
            cursor.execute(f"CREATE USER '{self.user}'@'%%' IDENTIFIED BY %s", [self.password])
            cursor.execute(f"GRANT ALL ON *.* TO '{self.user}'@'%'")
        db.close()

    def make_clerk(self, password: str) -> None:
        import pymysql

        db = pymysql.connect(unix_socket=str(self.folder / "s"), user="root", autocommit=True)
        with db.cursor() as cursor:
            cursor.execute(f"CREATE USER '{CLERK}'@'%%' IDENTIFIED BY %s", [password])
            cursor.execute(f"GRANT ALL ON {self.database}.* TO '{CLERK}'@'%'")
        db.close()


KINDS: dict[str, type[Throwaway]] = {server.kind: server for server in (PostgreSQL, MariaDB)}


def _unprivileged() -> pwd.struct_passwd | None:
    """The account that servers run as when this is root."""
    return pwd.getpwnam("nobody") if os.geteuid() == 0 else None


def make_certificate(folder: Path) -> None:
    """A self-signed certificate for 127.0.0.1, as server.key and server.crt."""
    import datetime
    import ipaddress

    from cryptography import x509
    from cryptography.hazmat.primitives import hashes, serialization
    from cryptography.hazmat.primitives.asymmetric import ec

    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "throwaway")])
    now = datetime.datetime.now(datetime.UTC)
    built = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
    built = built.serial_number(x509.random_serial_number()).not_valid_before(now - datetime.timedelta(days=1))
    built = built.not_valid_after(now + datetime.timedelta(days=3650))
    built = built.add_extension(x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), False)
    built = built.add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
    encoding = serialization.Encoding.PEM
    plain = serialization.NoEncryption()
    (folder / "server.crt").write_bytes(built.sign(key, hashes.SHA256()).public_bytes(encoding))
    secret = key.private_bytes(encoding, serialization.PrivateFormat.PKCS8, plain)
    (folder / "server.key").touch(0o600)
    (folder / "server.key").write_bytes(secret)
