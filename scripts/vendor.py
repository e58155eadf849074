"""Refresh the vendored front-end files from the npm registry and write their manifest.

Run with `make vendor`. Each package is fetched with `npm pack` at the version named here; only the files
listed are kept, each with its SHA-256 in enlace/site/static/vendor/manifest.json.
"""

import hashlib
import json
import re
import subprocess
import tarfile
import tempfile
from pathlib import Path

TARGET = Path(__file__).resolve().parent.parent / "enlace/site/static/vendor"
NEXT, MONO = "atkinson-hyperlegible-next", "atkinson-hyperlegible-mono"
PACKAGES = [
    # package, version, licence, {file in the package: name here}
    ("htmx.org", "2.0.11", "0BSD", {"dist/htmx.min.js": "htmx.min.js", "LICENSE": "htmx.LICENSE"}),
    ("@alpinejs/csp", "3.17.4", "MIT", {"dist/cdn.min.js": "alpine-csp.min.js"}),
    ("bootstrap", "5.3.9", "MIT", {"dist/css/bootstrap.min.css": "bootstrap.min.css", "LICENSE": "bootstrap.LICENSE"}),
    (
        f"@fontsource-variable/{NEXT}",
        "5.3.0",
        "OFL-1.1",
        {
            f"files/{NEXT}-latin-wght-normal.woff2": f"{NEXT}-latin.woff2",
            f"files/{NEXT}-latin-ext-wght-normal.woff2": f"{NEXT}-latin-ext.woff2",
            "LICENSE": f"{NEXT}.LICENSE",
        },
    ),
    (
        f"@fontsource-variable/{MONO}",
        "5.3.0",
        "OFL-1.1",
        {
            f"files/{MONO}-latin-wght-normal.woff2": f"{MONO}-latin.woff2",
            f"files/{MONO}-latin-ext-wght-normal.woff2": f"{MONO}-latin-ext.woff2",
            "LICENSE": f"{MONO}.LICENSE",
        },
    ),
    (
        "idiomorph",
        "0.8.0",
        "0BSD",
        {"dist/idiomorph.esm.js": "idiomorph.esm.js", "LICENSE": "idiomorph.LICENSE"},
    ),
    ("axe-core", "4.14.1", "MPL-2.0", {"axe.min.js": "axe.min.js", "LICENSE": "axe.LICENSE"}),
]
ICONS = [
    "arrow-left",
    "arrow-right",
    "calendar",
    "chevron-first",
    "chevron-last",
    "check",
    "circle-alert",
    "circle-check",
    "database",
    "eye",
    "file-text",
    "grid-3x3",
    "image",
    "key",
    "link",
    "list-tree",
    "lock",
    "log-out",
    "moon",
    "pencil",
    "plus",
    "redo-2",
    "refresh-cw",
    "rows-3",
    "save",
    "sun",
    "table-2",
    "trash-2",
    "triangle-alert",
    "undo-2",
    "unlink",
    "upload",
    "user",
    "x",
]
LUCIDE = ("lucide-static", "1.62.0", "ISC")


def packed(package: str, version: str) -> dict[str, bytes]:
    """Every file of one package, by its path inside it."""
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run(["npm", "pack", f"{package}@{version}", "--silent"], cwd=folder, check=True, capture_output=True)
        archive = next(Path(folder).glob("*.tgz"))
        with tarfile.open(archive) as tar:
            files = {}
            for member in tar.getmembers():
                if member.isfile():
                    files[member.name.split("/", 1)[1]] = tar.extractfile(member).read()
            return files


def sprite(files: dict[str, bytes]) -> bytes:
    """One SVG file with a <symbol> for each icon used."""
    symbols = []
    for icon in ICONS:
        text = files[f"icons/{icon}.svg"].decode()
        inner = re.search(r"<svg[^>]*>(.*)</svg>", text, re.S).group(1)
        inner = re.sub(r"\s+", " ", inner).strip()
        symbols.append(
            f'<symbol id="{icon}" viewBox="0 0 24 24" fill="none" stroke="currentColor" stroke-width="2" '
            f'stroke-linecap="round" stroke-linejoin="round">{inner}</symbol>'
        )
    head = "<!-- Icons of lucide-static 1.62.0, ISC licence; see lucide.LICENSE -->\n"
    return (head + '<svg xmlns="http://www.w3.org/2000/svg">\n' + "\n".join(symbols) + "\n</svg>\n").encode()


def main() -> None:
    TARGET.mkdir(parents=True, exist_ok=True)
    manifest = []

    def keep(package: str, version: str, licence: str, name: str, content: bytes) -> None:
        content = re.sub(rb"\n?/[/*]# sourceMappingURL=\S+( \*/)?\s*$", b"\n", content)
        (TARGET / name).write_bytes(content)
        digest = hashlib.sha256(content).hexdigest()
        manifest.append({"file": name, "package": package, "version": version, "licence": licence, "sha256": digest})

    for package, version, licence, wanted in PACKAGES:
        files = packed(package, version)
        for inside, name in wanted.items():
            keep(package, version, licence, name, files[inside])
    files = packed(LUCIDE[0], LUCIDE[1])
    keep(*LUCIDE, "icons.svg", sprite(files))
    keep(*LUCIDE, "lucide.LICENSE", files["LICENSE"])
    (TARGET / "manifest.json").write_text(json.dumps(manifest, indent=1) + "\n")
    print(f"{len(manifest)} files in {TARGET.name}, manifest written")


if __name__ == "__main__":
    main()
