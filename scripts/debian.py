"""Install the Debian packages that the tests need, where they are missing and may be installed."""

import glob
import os
import shutil
import subprocess
import sys

NEEDED = {"chromium": "chromium", "postgres": "postgresql", "mariadbd": "mariadb-server"}  # program: package


def there(program):
    # Debian keeps PostgreSQL's programs out of the path, and MariaDB's server in a folder for administrators.
    return (
        shutil.which(program) or glob.glob("/usr/lib/postgresql/*/bin/" + program) or glob.glob("/usr/sbin/" + program)
    )


def main():
    missing = sorted(package for program, package in NEEDED.items() if not there(program))
    if not missing:
        return
    if os.geteuid() != 0 or not shutil.which("apt-get"):
        sys.exit("The tests need these Debian packages; install them and try again: " + " ".join(missing))
    print("Installing Debian packages: " + " ".join(missing))
    environment = dict(os.environ, DEBIAN_FRONTEND="noninteractive")
    log = os.path.join(os.environ.get("TMPDIR", "/tmp"), "enlace-debian.log")
    with open(log, "w") as out:
        for command in (["apt-get", "update"], ["apt-get", "install", "-y", "--no-install-recommends"] + missing):
            if subprocess.call(command, env=environment, stdout=out, stderr=out) != 0:
                sys.exit("Debian's packages could not be installed: " + " ".join(missing) + ". See " + log)


if __name__ == "__main__":
    main()
