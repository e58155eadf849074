"""Make the virtual environment and install the pinned packages, or say in one sentence what is missing.

Runs under the system's own Python, so it uses nothing but the standard library and old syntax.
"""

import hashlib
import os
import subprocess
import sys

HERE = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))
VENV = os.path.join(HERE, ".venv")
WANTED = (3, 11)


def stop(sentence):
    sys.stderr.write("\n" + sentence + "\n\n")
    sys.exit(1)


def fingerprint():
    with open(os.path.join(HERE, "requirements.txt"), "rb") as file:
        return hashlib.sha256(file.read() + sys.version.encode()).hexdigest()


def install():
    if subprocess.call([sys.executable, "-m", "venv", VENV]) != 0:
        stop(
            "Python could not make a virtual environment. On Debian and Ubuntu, "
            "install the package python3-venv and try again."
        )
    pip = [os.path.join(VENV, "bin", "python"), "-m", "pip", "--disable-pip-version-check"]
    print("Installing the pinned packages (once; this takes about a minute) ...")
    done = subprocess.run(
        pip + ["install", "--quiet", "-r", os.path.join(HERE, "requirements.txt")],
        stderr=subprocess.PIPE,
        text=True,
    )
    if done.returncode != 0:
        last = (done.stderr or "").strip().splitlines()[-1:] or ["no reason was given"]
        stop(
            "The packages in requirements.txt could not be installed; the first start needs a network "
            "connection to the package index. pip said: " + last[0]
        )


def main():
    if sys.version_info < WANTED:
        stop(
            "Enlace needs Python %d.%d or newer, and this is %d.%d. Install a newer Python, then run: "
            "make PYTHON=/path/to/python3 demo" % (WANTED + sys.version_info[:2])
        )
    mark = os.path.join(VENV, "installed")
    wanted = fingerprint()
    if os.path.exists(mark):
        with open(mark) as file:
            if file.read() == wanted:
                return
    install()
    with open(mark, "w") as file:
        file.write(wanted)


if __name__ == "__main__":
    main()
