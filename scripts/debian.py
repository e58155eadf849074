"""Install the Debian packages that the tests, or a demo on a database server, need, where they are missing.

Arguments: the server kinds that are wanted; without any, all that the tests need.
"""

import glob
import os
import shutil
import subprocess
import sys

NEEDED = {
    "chromium": "chromium",
    "postgres": "postgresql",
    "mariadbd": "mariadb-server",
    "node": "nodejs",
    "npm": "npm",
}  # program: package


def there(program):
    # Debian keeps PostgreSQL's programs out of the path, and MariaDB's server in a folder for administrators.
    return (
        shutil.which(program) or glob.glob("/usr/lib/postgresql/*/bin/" + program) or glob.glob("/usr/sbin/" + program)
    )


SERVERS = {"postgresql": "postgres", "mariadb": "mariadbd"}


def main():
    wanted = [SERVERS[kind] for kind in sys.argv[1:] if kind in SERVERS] or list(NEEDED)
    missing = sorted(NEEDED[program] for program in wanted if not there(program))
    if not missing:
        return
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        sys.exit("These Debian packages are needed; install them and try again: " + " ".join(missing))
    print("Installing Debian packages: " + " ".join(missing))
    environment = dict(os.environ, DEBIAN_FRONTEND="noninteractive")
    log = os.path.join(os.environ.get("TMPDIR", "/tmp"), "enlace-debian.log")
    with open(log, "w") as out:
        for command in (["apt-get", "update"], ["apt-get", "install", "-y", "--no-install-recommends"] + missing):
            if subprocess.call(command, env=environment, stdout=out, stderr=out) != 0:
                sys.exit("Debian's packages could not be installed: " + " ".join(missing) + ". See " + log)


if __name__ == "__main__":
    main()
