"""Install the Debian packages that the tests need, where they are missing and may be installed."""

import os
import shutil
import subprocess
import sys

NEEDED = {"chromium": "chromium"}  # program: package


def main():
    missing = sorted(package for program, package in NEEDED.items() if not shutil.which(program))
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
