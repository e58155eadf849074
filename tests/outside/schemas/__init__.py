"""SQLite files of six schemas from packages that know nothing of Enlace, made once in an environment of their own."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from pathlib import Path

HERE = Path(__file__).parent
ROOT = HERE.parents[2]
HOME = ROOT / ".venv" / "schemas"


def made() -> Path:
    """The folder with the files: music, accounting, transit, shop, pages, records."""
    wanted = b"".join((HERE / name).read_bytes() for name in ("requirements.txt", "build.py"))
    folder = HOME / hashlib.sha256(wanted).hexdigest()[:12]
    if not (folder / "done").exists():
        python = HOME / "venv" / "bin" / "python"
        subprocess.run([sys.executable, "-m", "venv", HOME / "venv"], check=True)
        pip = [
            python,
            "-m",
            "pip",
            "--disable-pip-version-check",
            "install",
            "--quiet",
            "-r",
            HERE / "requirements.txt",
        ]
        subprocess.run(pip, check=True, capture_output=True)
        subprocess.run([python, "-W", "ignore", HERE / "build.py", folder], check=True, capture_output=True)
        (folder / "done").touch()
    return folder
