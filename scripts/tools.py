"""Install the tools that format and lint scripts and styles, as package.json pins them. They are not shipped."""

import hashlib
import os
import shutil
import subprocess
import sys

HERE = os.path.dirname(os.path.dirname(os.path.abspath(__file__)))


def main():
    with open(os.path.join(HERE, "package.json"), "rb") as file:
        wanted = hashlib.sha256(file.read()).hexdigest()
    mark = os.path.join(HERE, "node_modules", ".installed")
    if os.path.exists(mark):
        with open(mark) as file:
            if file.read() == wanted:
                return
    if not shutil.which("npm"):
        sys.exit(
            "npm is needed to check scripts and styles: install the Debian packages nodejs and npm, and try again."
        )
    done = subprocess.run(
        ["npm", "install", "--no-audit", "--no-fund", "--silent"], cwd=HERE, stderr=subprocess.PIPE, text=True
    )
    if done.returncode != 0:
        sys.exit(
            "The tools in package.json could not be installed. npm said: " + (done.stderr or "nothing").strip()[-300:]
        )
    with open(mark, "w") as file:
        file.write(wanted)


if __name__ == "__main__":
    main()
