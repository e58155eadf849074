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
# The code editor is built once from its packages, of which scripts/editor.mjs names the parts.
EDITOR = {
    "@codemirror/autocomplete": "6.20.4",
    "@codemirror/commands": "6.11.1",
    "@codemirror/lang-sql": "6.10.0",
    "@codemirror/language": "6.13.1",
    "@codemirror/lint": "6.9.8",
    "@codemirror/state": "6.7.6",
    "@codemirror/view": "6.43.15",
    "@lezer/highlight": "1.2.5",
}
ESBUILD = "0.28.2"


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


def editor() -> tuple[bytes, bytes]:
    """The code editor as one module, and the licence of its packages."""
    with tempfile.TemporaryDirectory() as folder:
        here = Path(folder)
        (here / "package.json").write_text('{"private": true, "type": "module"}')
        wanted = [f"{name}@{version}" for name, version in EDITOR.items()]
        subprocess.run(
            ["npm", "install", "--silent", "--no-audit", "--no-fund", f"esbuild@{ESBUILD}", *wanted],
            cwd=folder, check=True, capture_output=True,
        )  # fmt: skip
        (here / "editor.mjs").write_bytes((Path(__file__).parent / "editor.mjs").read_bytes())
        subprocess.run(
            ["node_modules/.bin/esbuild", "editor.mjs", "--bundle", "--minify", "--format=esm", "--outfile=out.js"],
            cwd=folder, check=True, capture_output=True,
        )  # fmt: skip
        described = [json.loads(file.read_text()) for file in sorted((here / "node_modules").glob("**/package.json"))]
        named = [d for d in described if "esbuild" not in d.get("name", "esbuild") and "version" in d]
        lines = "".join(f" * {d['name']} {d['version']}, {d['license']}\n" for d in named)
        head = f"/*! A code editor, built with esbuild {ESBUILD} from\n{lines} */\n"
        licence = (here / "node_modules/@codemirror/view/LICENSE").read_bytes()
        return head.encode() + (here / "out.js").read_bytes(), licence


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
    code, terms = editor()
    for name, content in (("codemirror.js", code), ("codemirror.LICENSE", terms)):
        keep("@codemirror/view", EDITOR["@codemirror/view"], "MIT", name, content)
    files = packed(LUCIDE[0], LUCIDE[1])
    keep(*LUCIDE, "icons.svg", sprite(files))
    keep(*LUCIDE, "lucide.LICENSE", files["LICENSE"])
    (TARGET / "manifest.json").write_text(json.dumps(manifest, indent=1) + "\n")
    print(f"{len(manifest)} files in {TARGET.name}, manifest written")


if __name__ == "__main__":
    main()
